"""The few windows that open: keys, cautions, about."""

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QGridLayout,
    QLabel,
    QVBoxLayout,
    QWidget,
)

from juxtanote import __version__
from juxtanote.app.actions import ACTIONS, MENUS
from juxtanote.app.widgets.parts import heading, scrolled, soft, strong
from juxtanote.core.practice import care


def _dialog(title: str, inside: QWidget, parent: QWidget | None) -> QDialog:
    dialog = QDialog(parent)
    dialog.setWindowTitle(title)
    column = QVBoxLayout(dialog)
    column.setContentsMargins(24, 20, 24, 16)
    column.addWidget(inside)
    buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
    buttons.rejected.connect(dialog.reject)
    column.addWidget(buttons)
    return dialog


def keys_dialog(parent: QWidget | None = None) -> QDialog:
    """Show every key on one page."""
    page = QWidget()
    grid = QGridLayout(page)
    grid.setHorizontalSpacing(18)
    grid.setVerticalSpacing(3)
    columns = [0, 0]
    for number, menu in enumerate(MENUS):
        side = 0 if number < 5 else 1
        rows = [spec for spec in ACTIONS if spec.menu == menu and spec.keys]
        if not rows:
            continue
        grid.addWidget(strong(menu), columns[side], 3 * side, 1, 2)
        columns[side] += 1
        for spec in rows:
            keys = QKeySequence(spec.keys).toString(QKeySequence.SequenceFormat.NativeText)
            grid.addWidget(soft(keys), columns[side], 3 * side)
            grid.addWidget(QLabel(spec.words.replace("&", "")), columns[side], 3 * side + 1)
            columns[side] += 1
    area = scrolled(page)
    area.setMinimumSize(640, 560)
    return _dialog("Keys", area, parent)


def care_dialog(parent: QWidget | None = None) -> QDialog:
    """Show the cautions."""
    page = QWidget()
    column = QVBoxLayout(page)
    for title, text in (("Hands", care.HANDS), ("Ears", care.EARS), ("Rights", care.RIGHTS)):
        column.addWidget(heading(title, 15))
        label = soft(text, 13, wrap=True)
        label.setMinimumWidth(440)
        column.addWidget(label)
    return _dialog("Care for hands, ears and rights", page, parent)


def about_dialog(parent: QWidget | None = None) -> QDialog:
    """Show version and licence."""
    page = QWidget()
    column = QVBoxLayout(page)
    column.addWidget(heading(f"Juxtanote {__version__}"))
    words = (
        "What was written beside what was heard, for guitar instructors.\n\n"
        "Free software under the GNU General Public License, version 3 or later. "
        "Set in IBM Plex Sans and Noto Music (SIL Open Font License)."
    )
    label = soft(words, 13, wrap=True)
    label.setMinimumWidth(400)
    label.setAlignment(Qt.AlignmentFlag.AlignLeft)
    column.addWidget(label)
    return _dialog("About Juxtanote", page, parent)
