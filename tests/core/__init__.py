"""The core alone, without a window."""
