"""Heard, written and counted on one time axis."""
