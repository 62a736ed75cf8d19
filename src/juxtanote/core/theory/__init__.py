"""Pitch names, tunings, scales and harmonics: arithmetic, no sound."""
