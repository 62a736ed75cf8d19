"""An exception that leaves a slot is logged and told; it never ends the program."""

import sys
import traceback
from functools import cache
from types import TracebackType

from PyQt6.QtCore import Q_ARG, QCoreApplication, QMetaObject, QObject, Qt, QThread, pyqtSlot

from juxtanote.app.folders import state_folder

_telling = False


def _hook(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
    """Log and tell. Nothing may leave it: an exception here would end the program."""
    if issubclass(kind, KeyboardInterrupt):
        sys.__excepthook__(kind, error, trace)
        return
    folder = state_folder()
    try:
        folder.mkdir(parents=True, exist_ok=True)
        with (folder / "juxtanote.log").open("a", encoding="utf-8") as log:
            traceback.print_exception(kind, error, trace, file=log)
    except OSError:
        traceback.print_exception(kind, error, trace)
    words = f"Something went wrong ({error}). Your lesson is as it was; details are in {folder}."
    app = QCoreApplication.instance()
    if app is not None and QThread.currentThread() is not app.thread():
        QMetaObject.invokeMethod(
            _teller(), "tell", Qt.ConnectionType.QueuedConnection, Q_ARG(str, words)
        )
    else:
        _tell(words)


def _tell(words: str) -> None:
    """Complain in the window, on its own thread."""
    global _telling
    if _telling:
        return
    _telling = True
    try:
        complain = getattr(_window(), "complain", None)
        if complain is not None:
            complain(words)
        else:
            print(f"juxtanote: {words}", file=sys.stderr)
    except Exception:
        traceback.print_exc()
    finally:
        _telling = False


class _Teller(QObject):
    """Tells on the window's thread what went wrong on another one, such as that of the sound."""

    @pyqtSlot(str)
    def tell(self, words: str) -> None:
        """Complain."""
        _tell(words)


@cache
def _teller() -> _Teller:
    return _Teller()


def _window() -> object:
    """Give the window that can complain: the active one, or the one behind a dialog."""
    from PyQt6.QtWidgets import QApplication

    widgets = [QApplication.activeWindow(), *QApplication.topLevelWidgets()]
    return next((w for w in widgets if w is not None and hasattr(w, "complain")), None)


def install_hook() -> None:
    """Take what leaves slots; one that somebody else (a test) has put there stays."""
    _teller()  # made here, it lives on the window's thread
    if sys.excepthook is sys.__excepthook__:
        sys.excepthook = _hook
