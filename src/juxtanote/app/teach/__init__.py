"""The Teach desk."""
