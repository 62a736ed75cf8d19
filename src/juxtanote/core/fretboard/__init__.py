"""Which string, which fret, which finger."""
