"""Python's collector looks through every object it knows, now and then, for up to a tenth of a second.

In the window's thread that is a key that sticks. What stays as long as the window does (classes, widgets,
the lesson that was opened) is therefore set aside; only what was made since is looked through.
"""

import gc


def set_aside() -> None:
    """Take all that lives now out of the collector's rounds; call it when things have come to rest."""
    gc.unfreeze()
    gc.freeze()
