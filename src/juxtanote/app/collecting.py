"""Python's collector, kept to the window's thread and to moments when nothing is asked of the window.

Left to itself it runs in whatever thread makes the next object. In a thread that works it may be the one
that drops a widget, and Qt ends the program where a widget goes in a thread that is not its own. In the
window's thread it looks through every object it knows, for up to a tenth of a second: a key that sticks.
So it runs by a timer here, and what stays as long as the window does (classes, widgets, the lesson that
was opened) is set aside; only what was made since is looked through.
"""

import gc

from PyQt6.QtCore import QObject, QTimer

PAUSE_MS = 700  # between two looks; a young round takes under a millisecond
MANY_OBJECTS = 20_000  # made and not yet looked through: then at least a round of the young
ROUNDS_OF_YOUNG = (
    10  # then one of the middle-aged, and after as many of those one of all, as Python does
)


def set_aside() -> None:
    """Take all that lives now out of the collector's rounds; call it when things have come to rest."""
    gc.unfreeze()
    gc.freeze()


class Collector(QObject):
    """Collects in the window's thread alone; one lives as long as the program."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        gc.disable()
        self._timer = QTimer(self)
        self._timer.setInterval(PAUSE_MS)
        self._timer.timeout.connect(self.look)
        self._timer.start()

    def look(self) -> None:
        """Collect as deep as is due."""
        young, middle, old = gc.get_count()
        if middle >= ROUNDS_OF_YOUNG:
            gc.collect(2 if old >= ROUNDS_OF_YOUNG else 1)
        elif young >= MANY_OBJECTS:
            gc.collect(0)
