"""The Place desk."""
