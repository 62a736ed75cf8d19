"""The Check desk."""
