"""Long work in the background."""
