"""From samples to evidence, from evidence to notes."""
