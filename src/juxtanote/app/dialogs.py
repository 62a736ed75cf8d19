"""The few windows that open: keys, cautions, about."""

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QGridLayout,
    QVBoxLayout,
    QWidget,
)

from juxtanote import __version__
from juxtanote.app.actions import ACTIONS, IN_THE_HAND, MENUS
from juxtanote.app.look.theme import px
from juxtanote.app.widgets.parts import heading, scrolled, soft, strong
from juxtanote.core.practice import care


def _dialog(title: str, inside: QWidget, parent: QWidget | None) -> QDialog:
    dialog = QDialog(parent)
    dialog.setWindowTitle(title)
    dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    column = QVBoxLayout(dialog)
    column.setContentsMargins(24, 20, 24, 16)
    column.addWidget(inside)
    buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
    buttons.rejected.connect(dialog.reject)
    column.addWidget(buttons)
    return dialog


def keys_dialog(parent: QWidget | None = None) -> QDialog:
    """Show every key on one page, those of the strip and the sheet too."""
    page = QWidget()
    grid = QGridLayout(page)
    grid.setHorizontalSpacing(px(14))
    grid.setVerticalSpacing(1)
    groups: list[tuple[str, list[tuple[str, str]]]] = []
    for menu in MENUS:
        rows = [
            (_keys(spec.keys), spec.words.replace("&", ""))
            for spec in ACTIONS
            if spec.menu == menu and spec.keys
        ]
        if menu == "Edit":
            rows = [("Ctrl+Z", "Undo"), ("Ctrl+Shift+Z", "Redo"), *rows]
        if rows:
            groups.append((menu, rows))
    for where in dict.fromkeys(where for where, _, _ in IN_THE_HAND):
        groups.append(
            (where, [(keys, words) for place, keys, words in IN_THE_HAND if place == where])
        )
    columns: list[list[int]] = [
        [] for _ in range(KEY_COLUMNS)
    ]  # the longest first, to the shortest
    for index in sorted(range(len(groups)), key=lambda k: -len(groups[k][1])):
        min(columns, key=lambda c: sum(len(groups[k][1]) + 1 for k in c)).append(index)
    for side, chosen in enumerate(sorted(columns, key=lambda c: min(c, default=0))):
        at = 0
        for name, rows in (groups[k] for k in sorted(chosen)):
            grid.addWidget(strong(name), at, 3 * side, 1, 2)
            for line, (keys, words) in enumerate(rows, start=at + 1):
                grid.addWidget(soft(keys), line, 3 * side)
                grid.addWidget(soft(words, wrap=False), line, 3 * side + 1)
            at += len(rows) + 1
    for side in range(KEY_COLUMNS - 1):
        grid.setColumnMinimumWidth(3 * side + 2, px(18))
    area = scrolled(page)
    wanted = page.sizeHint()
    area.setMinimumSize(min(wanted.width() + 24, px(1230)), min(wanted.height() + 8, px(660)))
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
    return _dialog("Keys", area, parent)


def _keys(keys: str) -> str:
    return QKeySequence(keys).toString(QKeySequence.SequenceFormat.NativeText)


KEY_COLUMNS = 4  # all keys on one page at 1024 pixels


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
