"""Every colour, font and size of the program: one edit here changes it everywhere."""

from dataclasses import dataclass
from functools import lru_cache

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QGuiApplication, QPalette, QPen
from PyQt6.QtWidgets import QApplication

from juxtanote.app.folders import DATA


@dataclass(frozen=True, slots=True)
class Theme:
    """Colours by what they mean. Soft ink keeps 4.5 : 1 on paper (WCAG 2.1, contrast minimum)."""

    paper: str = "#F7F4EC"
    panel: str = "#FFFDF8"
    ink: str = "#22262B"
    soft: str = "#62666A"
    rule: str = "#D9D3C4"
    heard: str = "#0F7C78"
    written: str = "#2E3A8C"
    doubt: str = "#A35C00"
    wave: str = "#C9D8D5"
    chosen: str = "#E9E5D8"
    faint: str = "#9A9B98"  # of what is disabled


LIGHT = Theme()
DARK = Theme(
    paper="#1D1F22", panel="#26292D", ink="#ECE8DE", soft="#A3A59F", rule="#3C4045",
    heard="#57C0B8", written="#9DA9F2", doubt="#E0A04A", wave="#3A4B4A", chosen="#33373C",
    faint="#6E726F",
)  # fmt: skip

_current = LIGHT
FAMILY = "IBM Plex Sans"
# Sizes in pixels at the desktop's usual text size.
SMALL, TEXT, MIDDLE, LARGE, TITLE = 11, 13, 14, 16, 18


_scale = 1.0  # of the desktop's text to the usual one; set once when the look is applied
USUAL_POINTS = 10.0  # text size that desktops begin with; ours is drawn for it
SMALLEST_SCALE, LARGEST_SCALE = 0.85, 2.0  # beyond these a desk has no room even when it scrolls


def px(pixels: float) -> int:
    """Give a size in pixels as it is at the desktop's text size."""
    return round(pixels * _scale)


def scale() -> float:
    """Give how much larger than usual text is."""
    return _scale


def _desktop_scale() -> float:
    """Give how much larger than usual the desktop's text is; 1 where there is no desktop."""
    if QGuiApplication.platformName() == "offscreen":
        return 1.0
    points = QFontDatabase.systemFont(QFontDatabase.SystemFont.GeneralFont).pointSizeF()
    if points <= 0.0:
        return 1.0
    return min(max(points / USUAL_POINTS, SMALLEST_SCALE), LARGEST_SCALE)


def theme() -> Theme:
    """Give the colours in use."""
    return _current


def colour(name: str, alpha: int = 255) -> QColor:
    """Give a colour of the theme by name; it is shared, so it is not to be changed."""
    return _colour(_current, name, alpha)


@lru_cache(maxsize=512)
def _colour(theme: Theme, name: str, alpha: int) -> QColor:
    found = QColor(getattr(theme, name))
    found.setAlpha(alpha)
    return found


def pen(name: str, width: float = 1.0, style: Qt.PenStyle = Qt.PenStyle.SolidLine) -> QPen:
    """Give a pen in a colour of the theme, with round ends; it is shared."""
    return _pen(_current, name, width, style)


@lru_cache(maxsize=512)
def _pen(theme: Theme, name: str, width: float, style: Qt.PenStyle) -> QPen:
    made = QPen(_colour(theme, name, 255), width, style)
    made.setCapStyle(Qt.PenCapStyle.RoundCap)
    made.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
    return made


def font(pixels: int = TEXT, weight: int = 400) -> QFont:
    """Give a font of the program; it is shared."""
    return _font(px(pixels), weight)


@lru_cache(maxsize=64)
def _font(pixels: int, weight: int) -> QFont:
    made = QFont(FAMILY)
    made.setFamilies([FAMILY, "Noto Music", "Noto Sans", "DejaVu Sans"])
    made.setPixelSize(pixels)
    made.setWeight(QFont.Weight(weight))
    return made


def drawn_font(pixels: int = TEXT, weight: int = 400) -> QFont:
    """Give a font for a painter that is scaled to the text size by itself."""
    return _font(pixels, weight)


def load_fonts() -> None:
    """Register the fonts that ship with the program."""
    for entry in sorted((DATA / "fonts").iterdir()):
        if entry.suffix in (".woff2", ".ttf"):
            QFontDatabase.addApplicationFont(str(entry))


def icon_path(name: str) -> str:
    """Give the file of an icon that ships with the program."""
    return str(DATA / "icons" / name)


def wants_dark() -> bool:
    """Tell whether the desktop asks for dark colours."""
    hints = QGuiApplication.styleHints()
    return hints is not None and hints.colorScheme() == Qt.ColorScheme.Dark


def apply(
    application: QApplication, dark: bool | None = None, *, text_scale: float | None = None
) -> None:
    """Dress the whole application, in the desktop's colours and text size unless told."""
    global _current, _scale
    _current = DARK if (wants_dark() if dark is None else dark) else LIGHT
    _scale = _desktop_scale() if text_scale is None else text_scale
    _font.cache_clear()
    load_fonts()
    application.setStyle("Fusion")
    application.setFont(font())
    palette = QPalette()
    pairs = {
        QPalette.ColorRole.Window: "paper", QPalette.ColorRole.Base: "panel",
        QPalette.ColorRole.AlternateBase: "chosen", QPalette.ColorRole.Button: "panel",
        QPalette.ColorRole.Text: "ink", QPalette.ColorRole.WindowText: "ink",
        QPalette.ColorRole.ButtonText: "ink", QPalette.ColorRole.PlaceholderText: "soft",
        QPalette.ColorRole.Highlight: "written", QPalette.ColorRole.HighlightedText: "panel",
        QPalette.ColorRole.ToolTipBase: "panel", QPalette.ColorRole.ToolTipText: "ink",
        QPalette.ColorRole.Mid: "rule", QPalette.ColorRole.Link: "heard",
    }  # fmt: skip
    for role, name in pairs.items():
        palette.setColor(role, colour(name))
    disabled = QPalette.ColorGroup.Disabled
    for role in (QPalette.ColorRole.Text, QPalette.ColorRole.ButtonText):
        palette.setColor(disabled, role, colour("faint"))
    application.setPalette(palette)
    application.setStyleSheet(_sheet())


def _sheet() -> str:
    t = _current
    return f"""
    QMainWindow, QDialog {{ background: {t.paper}; }}
    QToolTip {{ background: {t.panel}; color: {t.ink}; border: 1px solid {t.rule}; padding: 4px; }}
    QMenuBar {{ background: {t.panel}; color: {t.ink}; }}
    QMenuBar::item {{ padding: 3px 9px; background: transparent; }}
    QMenuBar::item:selected, QMenu::item:selected {{ background: {t.chosen}; color: {t.ink}; }}
    QMenu {{ background: {t.panel}; border: 1px solid {t.rule}; padding: 4px; }}
    QMenu::item {{ padding: 4px 24px 4px 12px; }}
    QMenu::item:disabled {{ color: {t.soft}; }}
    QLineEdit, QSpinBox, QDoubleSpinBox, QComboBox, QPlainTextEdit {{
        background: {t.panel}; color: {t.ink}; border: 1px solid {t.rule}; border-radius: 4px;
        padding: 3px 6px; selection-background-color: {t.written}; selection-color: {t.panel}; }}
    QLineEdit:focus, QSpinBox:focus, QDoubleSpinBox:focus, QComboBox:focus, QPlainTextEdit:focus {{
        border: 1px solid {t.ink}; }}
    QSpinBox::up-button, QSpinBox::down-button, QDoubleSpinBox::up-button,
    QDoubleSpinBox::down-button {{ width: 0; border: none; }}
    QComboBox {{ padding-right: 20px; }}
    QComboBox::drop-down {{ border: none; width: 20px; }}
    QComboBox::down-arrow {{ image: url({icon_path("down.svg")}); width: 10px; height: 10px; }}
    QHeaderView::section {{ background: transparent; color: {t.soft}; border: none;
        border-bottom: 1px solid {t.rule}; padding: 3px 6px 3px 2px; }}
    QTableView {{ gridline-color: transparent; background: transparent; border: 1px solid transparent; }}
    QTableView::item:selected, QListView::item:selected {{ background: {t.chosen};
        color: {t.ink}; }}
    QComboBox QAbstractItemView {{ background: {t.panel}; color: {t.ink}; }}
    QPushButton {{ background: {t.panel}; color: {t.ink}; border: 1px solid {t.rule};
        border-radius: 5px; padding: 5px 12px; }}
    QPushButton:hover {{ border-color: {t.soft}; }}
    QPushButton:focus {{ border-color: {t.ink}; }}
    QPushButton:disabled {{ color: {t.faint}; background: {t.paper}; border: 1px dashed {t.rule}; }}
    QPushButton[main="true"]:disabled {{ color: {t.faint}; background: {t.chosen};
        border: 1px dashed {t.rule}; }}
    QPushButton[main="true"]:enabled {{ background: {t.ink}; color: {t.paper}; border-color: {t.ink}; }}
    QPushButton[desk="true"] {{ background: transparent; border: none; border-radius: 0;
        padding: {px(8)}px 2px {px(7)}px 2px; color: {t.soft}; font-size: {px(16)}px; }}
    QPushButton[desk="true"]:checked {{ color: {t.ink}; font-weight: 600;
        border-bottom: 3px solid {t.ink}; }}
    QPushButton[desk="true"]:focus {{ color: {t.ink}; }}
    QScrollBar:horizontal {{ height: 10px; background: transparent; }}
    QScrollBar:vertical {{ width: 10px; background: transparent; }}
    QScrollBar::handle {{ background: {t.rule}; border-radius: 5px; min-width: 24px; min-height: 24px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
    QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
    QListView {{ background: transparent; border: 1px solid transparent; outline: none; }}
    QProgressBar {{ background: {t.rule}; border: none; border-radius: 2px; max-height: 4px; }}
    QProgressBar::chunk {{ background: {t.heard}; border-radius: 2px; }}
    QCheckBox, QRadioButton {{ spacing: 7px; color: {t.ink}; background: transparent; }}
    QCheckBox:disabled, QRadioButton:disabled {{ color: {t.faint}; }}
    QCheckBox::indicator, QListView::indicator {{ width: {px(13)}px; height: {px(13)}px;
        border: 1px solid {t.soft}; border-radius: 3px; background: {t.panel}; }}
    QCheckBox::indicator:checked, QListView::indicator:checked {{ background: {t.ink};
        border-color: {t.ink};
        image: url({icon_path("tick-light.svg" if _current is DARK else "tick.svg")}); }}
    QRadioButton::indicator {{ width: {px(12)}px; height: {px(12)}px; border: 1px solid {t.soft};
        border-radius: {px(12) // 2 + 1}px; background: {t.panel}; }}
    QRadioButton::indicator:checked {{ background: qradialgradient(cx: 0.5, cy: 0.5, radius: 0.5, fx: 0.5,
        fy: 0.5, stop: 0 {t.ink}, stop: 0.5 {t.ink}, stop: 0.55 {t.panel}); }}
    QCheckBox::indicator:disabled, QRadioButton::indicator:disabled {{ border-color: {t.rule}; }}
    QCheckBox:focus, QRadioButton:focus {{ text-decoration: underline; }}
    QLineEdit:disabled, QSpinBox:disabled, QDoubleSpinBox:disabled, QComboBox:disabled,
    QPlainTextEdit:disabled {{ color: {t.faint}; background: {t.paper}; border: 1px dashed {t.rule}; }}
    QTableView:focus, QListView:focus {{ border: 1px solid {t.rule}; }}
    """
