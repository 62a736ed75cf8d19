"""Playing: the bar under every desk, and the sound devices."""
