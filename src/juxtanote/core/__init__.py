"""The part of Juxtanote that knows nothing of windows: arrays and values in, arrays and values out."""
