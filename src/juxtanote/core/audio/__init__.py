"""Sound files in and out, peaks, focus and slowing."""
