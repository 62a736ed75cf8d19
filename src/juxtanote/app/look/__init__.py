"""Colours, fonts and sizes, all in one place."""
