"""The collection: every phrase of every lesson in some folders, found again by words, facts and music."""
