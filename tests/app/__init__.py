"""The real window, driven offscreen as a person would."""

import os
import tempfile
import time
from collections.abc import Callable

os.environ["QT_QPA_PLATFORM"] = "offscreen"
_home = tempfile.TemporaryDirectory(prefix="juxtanote-tests-")
for _name in ("XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_CACHE_HOME", "XDG_DATA_HOME"):
    os.environ[_name] = _home.name

from PyQt6.QtWidgets import QApplication  # noqa: E402

from juxtanote.app.collecting import Collector  # noqa: E402
from juxtanote.app.look import theme  # noqa: E402

application = QApplication.instance() or QApplication(["juxtanote-tests"])
assert isinstance(application, QApplication)
Collector(application)
theme.apply(application, dark=False)


def wait_until(condition: Callable[[], bool], timeout_ms: int = 20_000) -> bool:
    """Let the window live until something is so."""
    end = time.monotonic() + timeout_ms / 1000
    while time.monotonic() < end:
        QApplication.processEvents()
        if condition():
            return True
        time.sleep(0.002)
    return condition()
