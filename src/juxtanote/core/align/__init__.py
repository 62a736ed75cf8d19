"""Where the written and the heard differ."""
