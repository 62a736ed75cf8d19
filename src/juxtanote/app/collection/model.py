"""What was found as a list, painted as cards: name, lesson, facts, and the tab drawn small."""

from pathlib import Path

from PyQt6.QtCore import QAbstractListModel, QModelIndex, QObject, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPixmap
from PyQt6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem

from juxtanote.app.collection import labels
from juxtanote.app.look.engraved import Inks, paint_block
from juxtanote.app.look.theme import MIDDLE, SMALL, colour, font, pen, px
from juxtanote.core.collection.picture import small_tab
from juxtanote.core.collection.search import Hit
from juxtanote.core.theory.pitch import pitch_name

FAMILY = Qt.ItemDataRole.UserRole
SCALE = 4.2  # pixels to the millimetre
MOST_PICTURES = 200  # kept drawn; more than two pages of cards
_NONE = QModelIndex()
Family = list[Hit]


class CardModel(QAbstractListModel):
    """Families of phrases, best first; a row shows the first of each."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._families: list[Family] = []

    def show_families(self, families: list[Family]) -> None:
        """Show what was found."""
        self.beginResetModel()
        self._families = families
        self.endResetModel()

    def rowCount(self, parent: QModelIndex = _NONE) -> int:
        return 0 if parent.isValid() else len(self._families)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if not 0 <= index.row() < len(self._families):
            return None
        family = self._families[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            card = family[0].card
            return f"{card.phrase}, {card.title}: {facts_of(family[0])}"
        if role == Qt.ItemDataRole.ToolTipRole:
            return "\n".join((facts_of(family[0]), made_of(family[0]), family[0].why))
        return family if role == FAMILY else None


def facts_of(hit: Hit) -> str:
    """Say what a card is."""
    card = hit.card
    bars = f"{card.bars} bar{'s' if card.bars != 1 else ''}"
    last = labels.LAST.format(date=card.last_practised) if card.last_practised else ""
    return labels.FACTS.format(
        key=card.key or "no key", tempo=card.tempo, bars=bars, notes=len(card.pitches),
        hard=card.difficulty, last=last,
    )  # fmt: skip


def made_of(hit: Hit) -> str:
    """Say from where to where it goes, on which strings, and with what."""
    card = hit.card
    low, high = (pitch_name(p) for p in (min(card.pitches), max(card.pitches)))
    strings = [min(card.strings), max(card.strings)]
    on = (
        f"strings {strings[0]} to {strings[1]}"
        if strings[0] < strings[1]
        else f"string {strings[0]}"
    )
    techniques = " · " + ", ".join(card.techniques) if card.techniques else ""
    span = f"{low} to {high}" if low != high else low
    return labels.MADE_OF.format(range=span, strings=on, techniques=techniques)


class CardPainter(QStyledItemDelegate):
    """Paints a card; its tab is kept as a picture."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._pictures: dict[tuple[object, ...], QPixmap] = {}

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(px(400), px(136))

    def paint(
        self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex
    ) -> None:
        family = index.data(FAMILY)
        if painter is None or not family:
            return
        hit: Hit = family[0]
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(option.rect).adjusted(1, 2, -6, -8)
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        painter.setBrush(colour("panel") if chosen else colour("paper"))
        painter.setPen(pen("ink", 1.6) if chosen else pen("rule", 1.2))
        painter.drawRoundedRect(box, 6, 6)
        left = box.left() + 14
        width = max(0.46 * box.width(), min(px(390), 0.62 * box.width()))
        lines = [
            (hit.card.phrase, "ink", MIDDLE, 600),
            (f"{hit.card.title} · {Path(hit.card.lesson).name}", "soft", SMALL + 1, 400),
            (facts_of(hit), "soft", SMALL + 1, 400),
            (made_of(hit), "soft", SMALL + 1, 400),
            (self._why(family), "heard", SMALL + 1, 600),
        ]
        y = box.top() + px(8)
        for text, hue, size, weight in lines:
            painter.setFont(font(size, weight))
            painter.setPen(colour(hue))
            room = QRectF(left, y, width - 20, px(22))
            mode = Qt.TextElideMode.ElideRight
            painter.drawText(
                room, 0, painter.fontMetrics().elidedText(text, mode, int(room.width()))
            )
            y += px(23)
        picture = self._picture(hit, box.width() - width - 26, box.height() - 16)
        painter.drawPixmap(int(left + width), int(box.top() + 10), picture)
        painter.restore()

    @staticmethod
    def _why(family: Family) -> str:
        others = [f"{hit.card.phrase} ({hit.card.title})" for hit in family[1:4]]
        also = labels.AGAIN.format(names=", ".join(others)) if others else ""
        return " · ".join(filter(None, (family[0].why, also)))

    def _picture(self, hit: Hit, width: float, height: float) -> QPixmap:
        key = (
            hit.card.lesson,
            hit.card.ident,
            hit.card.picture,
            round(width),
            colour("ink").name(),
        )
        known = self._pictures.get(key)
        if known is not None:
            return known
        if len(self._pictures) > MOST_PICTURES:
            self._pictures.clear()
        made = QPixmap(max(round(width), 1), max(round(height), 1))
        made.fill(Qt.GlobalColor.transparent)
        painter = QPainter(made)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        inks = Inks(colour("ink"), colour("soft"), colour("paper"))
        block = small_tab(hit.card, width / SCALE)
        scale = min(SCALE, height / max(block.height + 2.0, 1.0))
        paint_block(painter, small_tab(hit.card, width / scale), 1.0, scale, inks)
        painter.end()
        self._pictures[key] = made
        return made
