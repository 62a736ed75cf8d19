"""The Hear desk."""
