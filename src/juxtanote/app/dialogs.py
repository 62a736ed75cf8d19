"""The few windows that open: keys, cautions, about."""

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QGridLayout,
    QHBoxLayout,
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
    page_row = QHBoxLayout(page)
    page_row.setSpacing(px(32))
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
    for chosen in sorted(columns, key=lambda c: min(c, default=0)):
        page_row.addLayout(_key_column([groups[k] for k in sorted(chosen)]))
    area = scrolled(page)
    wanted = page.sizeHint()
    area.setMinimumSize(min(wanted.width() + 24, px(1230)), min(wanted.height() + 8, px(660)))
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
    return _dialog("Keys", area, parent)


def _key_column(groups: list[tuple[str, list[tuple[str, str]]]]) -> QGridLayout:
    """Lay out groups under each other: a group is two texts, for hundreds of labels would take long."""
    grid = QGridLayout()
    grid.setHorizontalSpacing(px(14))
    grid.setVerticalSpacing(px(3))
    for name, rows in groups:
        keys, words = zip(*rows, strict=True)
        at = grid.rowCount()
        grid.addWidget(strong(name), at, 0, 1, 2)
        grid.addWidget(soft("\n".join(keys)), at + 1, 0)
        grid.addWidget(soft("\n".join(words)), at + 1, 1)
    grid.setRowStretch(grid.rowCount(), 1)
    return grid


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
