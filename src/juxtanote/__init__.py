"""Juxtanote: what was written beside what was heard, for guitar instructors."""

__version__ = "0.1.0"
