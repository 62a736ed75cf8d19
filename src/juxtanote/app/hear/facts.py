"""The panel of what is known of a recording: tempo, metre, reference pitch, tuning, key, feel."""

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QWidget

from juxtanote.app.hear import labels
from juxtanote.app.hear.time_rows import row
from juxtanote.app.widgets.parts import Panel, heading, soft

if TYPE_CHECKING:
    from juxtanote.app.hear.desk import HearDesk


def facts_panel(desk: "HearDesk") -> Panel:
    """Lay out the desk's fields for what the recording is, each with what was heard of it."""
    panel = Panel()
    top = QHBoxLayout()
    top.addWidget(heading(labels.FACTS))
    top.addStretch(1)
    top.addWidget(desk.measure)
    panel.column.addLayout(top)
    grid = QGridLayout()
    grid.setVerticalSpacing(4)
    grid.setHorizontalSpacing(10)
    rows: list[tuple[str, QWidget]] = [
        ("tempo", desk.time.tempo_row()),
        ("", desk.time.pulse_row()),
        ("metre", desk.time.metre_row()),
        ("", desk.time.bar_row()),
        ("form, chords", desk.time.chord_row()),
        ("reference pitch", row(desk.reference, desk.evidence["reference"])),
        ("tuning", row(desk.tuning, desk.evidence["tuning"])),
        ("key, scale", row(desk.key, desk.scale, desk.evidence["key"])),
        ("feel", row(desk.feel, desk.feel_picture)),
        ("guitar forward", row(desk.source, desk.low, desk.high, desk.no_drums)),
        ("", row(desk.choose, desk.audition, desk.focus_why)),
    ]
    for line, (words, widget) in enumerate(rows):
        grid.addWidget(soft(words), line, 0)
        grid.addWidget(widget, line, 1)
    grid.setColumnStretch(1, 1)
    panel.column.addLayout(grid)
    panel.column.addStretch(1)
    return panel
