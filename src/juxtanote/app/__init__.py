"""The window: shows what the core knows, never works it out itself."""
