"""The Practise desk."""
