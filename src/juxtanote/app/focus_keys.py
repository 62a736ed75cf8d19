"""Keys belong to what has the focus before they are shortcuts: Space on a button, letters in text."""

import contextlib

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QLineEdit,
    QPlainTextEdit,
    QWidget,
)

from juxtanote.app.widgets.slider import LineSlider

_PRESSING = frozenset({Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter})
_ALONG = frozenset({Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down})
_ENDS = frozenset({Qt.Key.Key_Home, Qt.Key.Key_End})
_PAGES = frozenset({Qt.Key.Key_PageUp, Qt.Key.Key_PageDown})
_ERASING = frozenset({Qt.Key.Key_Delete, Qt.Key.Key_Backspace})
_PLAIN = (
    Qt.KeyboardModifier.NoModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.KeypadModifier,
)
TEXT_KINDS = (QLineEdit, QPlainTextEdit, QAbstractSpinBox)


class FocusKeys(QObject):
    """Watches the one widget that has the focus, and no other: every event of all would be slow."""

    def __init__(self, application: QApplication, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._watched: QWidget | None = None
        application.focusChanged.connect(self._on_focus_changed)

    def _on_focus_changed(self, _: QWidget | None, now: QWidget | None) -> None:
        if self._watched is not None:
            with contextlib.suppress(RuntimeError):  # it is gone
                self._watched.removeEventFilter(self)
        self._watched = now
        if now is not None:
            now.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if not isinstance(event, QKeyEvent) or not isinstance(watched, QWidget):
            return False
        if event.type() == QEvent.Type.ShortcutOverride and wants(watched, event):
            event.accept()
            return True
        if event.type() != QEvent.Type.KeyPress:
            return False
        if isinstance(watched, QAbstractButton):
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and watched.isEnabled():
                watched.click()
                return True
        if (
            isinstance(watched, QAbstractItemView)
            and _is_letter(event)
            and not wants(watched, event)
        ):
            event.ignore()  # a list would search for it, and say nothing: let the window answer
            return True
        return False


def _is_letter(event: QKeyEvent) -> bool:
    return bool(event.text()) and event.text().isprintable() and event.text() != " "


def wants(widget: QWidget, event: QKeyEvent) -> bool:
    """Tell whether a widget has use for a key that may also be a shortcut."""
    key, plain = event.key(), event.modifiers() in _PLAIN
    if not plain:
        return False
    letter = _is_letter(event)
    if isinstance(widget, QComboBox) and not widget.isEditable():
        return key in _PRESSING | _ALONG | _ENDS or letter
    if isinstance(widget, (*TEXT_KINDS, QComboBox)):
        return key in _PRESSING | _ALONG | _ENDS | _ERASING or letter
    if isinstance(widget, QAbstractItemView):
        editing = widget.editTriggers() != QAbstractItemView.EditTrigger.NoEditTriggers
        return key in _PRESSING | _ALONG | _ENDS or (letter and editing)
    if isinstance(widget, LineSlider):
        return key in _ALONG | _ENDS
    return isinstance(widget, QAbstractButton) and key in _PRESSING
