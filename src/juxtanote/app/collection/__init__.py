"""The collection window: every phrase of every lesson in some folders."""
