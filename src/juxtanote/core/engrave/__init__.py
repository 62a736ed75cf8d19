"""Setting tab as an engraver would: pieces of paper as lines, shapes and words in millimetres."""
