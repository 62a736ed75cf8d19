"""Where the program keeps what is its own (XDG base directories)."""

import os
from pathlib import Path

import juxtanote

DATA = Path(juxtanote.__file__).parent / "data"


def state_folder() -> Path:
    """Give the folder for work in progress and the log."""
    base = os.environ.get("XDG_STATE_HOME") or str(Path.home() / ".local" / "state")
    return Path(base) / "juxtanote"


def cache_folder() -> Path:
    """Give the folder for unpacked recordings."""
    base = os.environ.get("XDG_CACHE_HOME") or str(Path.home() / ".cache")
    return Path(base) / "juxtanote"
