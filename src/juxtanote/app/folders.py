"""Where the program keeps what is its own (XDG base directories)."""

import os
from pathlib import Path

import juxtanote

DATA = Path(juxtanote.__file__).parent / "data"
DEMO_TAKES = DATA / "demo" / "takes"


def state_folder() -> Path:
    """Give the folder for work in progress and the log."""
    base = os.environ.get("XDG_STATE_HOME") or str(Path.home() / ".local" / "state")
    return Path(base) / "juxtanote"


def cache_folder() -> Path:
    """Give the folder for unpacked recordings."""
    base = os.environ.get("XDG_CACHE_HOME") or str(Path.home() / ".cache")
    return Path(base) / "juxtanote"


def takes_folder() -> Path:
    """Give where takes are kept: on this machine only."""
    return state_folder() / "takes"


def take_file(name: str) -> Path | None:
    """Find the sound of a take: among this machine's, or those of the demo.

    Parameters
    ----------
    name : str
        As a lesson has it, which may say anything: takes are in no other folder.
    """
    bare = Path(name).name
    places = (takes_folder() / bare, DEMO_TAKES / bare)
    return next((path for path in places if bare and path.is_file()), None)
