"""Painting without a window: what the command line needs to write a PDF."""

import os
import sys
from collections.abc import Iterator
from contextlib import contextmanager


@contextmanager
def painter() -> Iterator[None]:
    """Have fonts and a painter, on a machine that may have no display."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PyQt6.QtGui import QGuiApplication

    from juxtanote.app.look.theme import load_fonts

    application = QGuiApplication.instance() or QGuiApplication(sys.argv[:1])
    load_fonts()
    yield
    del application
