"""Colours, type and sizes. Every pair that is used for text is in `PAIRS`, and a test checks its contrast."""

from __future__ import annotations

from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PySide6.QtWidgets import QApplication

if TYPE_CHECKING:
    from PySide6.QtGui import QIcon

HERE = Path(__file__).parent
TEXT, TITLE, VERDICT, CALLOUT, NEW_VALUE, ECHO = 15, 26, 20, 24, 32, 40  # px
HAND = 44  # px, smallest target for a gloved hand


class Theme(NamedTuple):
    """One set of colours, as #rrggbb. `soft` is quieter text, `line` never carries text."""

    name: str
    paper: str
    rail: str
    card: str
    line: str
    grid: str
    ink: str
    soft: str
    good: str
    good_fill: str
    bad: str
    bad_fill: str
    warn: str
    warn_fill: str
    quiet_fill: str
    focus: str
    material: str
    film: str  # what is printed on, and the print: light and dark in any light
    print: str
    heat: tuple[str, str, str]  # low, middle, high; `ink` is written on all of it


LIGHT = Theme(
    "light",
    paper="#f5f3ed",
    rail="#e6e3d8",
    card="#fffefa",
    line="#c9c5b7",
    grid="#ebe8df",
    ink="#18242b",
    soft="#4c5860",
    good="#0a5a55",
    good_fill="#dcebe6",
    bad="#a02812",
    bad_fill="#fae4dc",
    warn="#744b00",
    warn_fill="#f6e8c8",
    quiet_fill="#eae8e1",
    focus="#1d55a5",
    material="#efe9da",
    film="#f7f4ea",
    print="#1b2126",
    heat=("#8fb8e8", "#f3efe4", "#f0a860"),
)
DARK = Theme(
    "dark",
    paper="#161b1f",
    rail="#101417",
    card="#1f262b",
    line="#4a555d",
    grid="#252d33",
    ink="#eeeae0",
    soft="#aeb8bf",
    good="#74d3c4",
    good_fill="#16352f",
    bad="#ff9f8a",
    bad_fill="#48211a",
    warn="#f0c46c",
    warn_fill="#3d3012",
    quiet_fill="#2b3339",
    focus="#8fbcff",
    material="#2c2f2b",
    film="#f7f4ea",
    print="#1b2126",
    heat=("#1f4f86", "#2b3034", "#8a4a10"),
)

# High contrast: text at 7 : 1 or more (WCAG 2, AAA), frames as strong as text.
WHITE = LIGHT._replace(
    name="white",
    paper="#ffffff",
    rail="#ffffff",
    card="#ffffff",
    line="#000000",
    grid="#cfcfcf",
    ink="#000000",
    soft="#262626",
    good="#00504a",
    good_fill="#e2f3ef",
    bad="#8c1500",
    bad_fill="#ffeae4",
    warn="#553300",
    warn_fill="#fff3d6",
    quiet_fill="#f2f2f2",
    focus="#003d99",
    material="#ffffff",
    film="#ffffff",
    print="#000000",
)
BLACK = DARK._replace(
    name="black",
    paper="#000000",
    rail="#000000",
    card="#000000",
    line="#ffffff",
    grid="#3a3a3a",
    ink="#ffffff",
    soft="#e4e4e4",
    good="#86f2e0",
    good_fill="#062b26",
    bad="#ffa08c",
    bad_fill="#3a0d06",
    warn="#ffd873",
    warn_fill="#2e2200",
    quiet_fill="#1c1c1c",
    focus="#9fcbff",
    material="#101010",
    film="#ffffff",
    print="#000000",
)
THEMES = {t.name: t for t in (LIGHT, DARK, WHITE, BLACK)}

# (text, background) by name: whatever puts text on a surface must be here.
PAIRS = (
    ("ink", "paper"),
    ("ink", "rail"),
    ("ink", "card"),
    ("ink", "quiet_fill"),
    ("ink", "material"),
    ("soft", "paper"),
    ("soft", "rail"),
    ("soft", "card"),
    ("soft", "quiet_fill"),
    ("soft", "material"),
    ("good", "paper"),
    ("good", "rail"),
    ("good", "card"),
    ("good", "good_fill"),
    ("bad", "paper"),
    ("bad", "rail"),
    ("bad", "card"),
    ("bad", "bad_fill"),
    ("warn", "paper"),
    ("warn", "rail"),
    ("warn", "card"),
    ("warn", "warn_fill"),
    ("focus", "card"),
    ("focus", "paper"),
    ("card", "ink"),
    ("paper", "ink"),
    ("card", "bad"),
    ("card", "focus"),
    ("print", "film"),
)

_current = LIGHT


def theme() -> Theme:
    """The theme in use."""
    return _current


def color(name: str) -> QColor:
    """A colour of the theme in use."""
    return QColor(getattr(_current, name))


def contrast(a: str, b: str) -> float:
    """WCAG 2 contrast ratio of two #rrggbb colours."""
    high, low = sorted((_luminance(a), _luminance(b)), reverse=True)
    return (high + 0.05) / (low + 0.05)


def _luminance(colour: str) -> float:
    parts = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
    linear = [p / 12.92 if p <= 0.04045 else ((p + 0.055) / 1.055) ** 2.4 for p in parts]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


@cache
def _family() -> str:
    family = ""
    for file in sorted((HERE / "fonts").glob("*.otf")):
        number = QFontDatabase.addApplicationFont(str(file))
        if number >= 0 and not family:
            family = QFontDatabase.applicationFontFamilies(number)[0]
    return family


@cache
def font(px: int = TEXT, *, bold: bool = False) -> QFont:
    """The shipped face at a size, figures tabular so that numbers don't dance while typed."""
    face = QFont(_family())
    face.setPixelSize(px)
    face.setWeight(QFont.Weight.DemiBold if bold else QFont.Weight.Normal)
    face.setFeature(QFont.Tag("tnum"), 1)
    return face


def apply(app: QApplication, wanted: Theme) -> None:
    """Use a theme from now on."""
    sheet = _sheet(wanted)
    if app.styleSheet() == sheet:  # to lay out every widget anew takes half a second
        return
    global _current  # noqa: PLW0603 (one look per process; widgets ask for it when they paint)
    _current = wanted
    icon.cache_clear()
    app.setFont(font())
    palette = QPalette()
    for role, name in (
        (QPalette.ColorRole.Window, "paper"),
        (QPalette.ColorRole.WindowText, "ink"),
        (QPalette.ColorRole.Base, "card"),
        (QPalette.ColorRole.Text, "ink"),
        (QPalette.ColorRole.Button, "card"),
        (QPalette.ColorRole.ButtonText, "ink"),
        (QPalette.ColorRole.Highlight, "focus"),
        (QPalette.ColorRole.HighlightedText, "card"),
        (QPalette.ColorRole.ToolTipBase, "card"),
        (QPalette.ColorRole.ToolTipText, "ink"),
        (QPalette.ColorRole.PlaceholderText, "soft"),
    ):
        palette.setColor(role, color(name))
    app.setPalette(palette)
    app.setStyleSheet(sheet)


def wanted_theme(app: QApplication, choice: str | None) -> Theme:
    """What was chosen, else what the desktop uses: light or dark, with high contrast where it asks for that."""
    if choice:
        return THEMES.get(choice, LIGHT)
    hints = app.styleHints()
    strong = hints.accessibility().contrastPreference() == Qt.ContrastPreference.HighContrast
    if hints.colorScheme() == Qt.ColorScheme.Dark:
        return BLACK if strong else DARK
    return WHITE if strong else LIGHT


@cache
def icon(name: str, colour: str = "ink") -> QIcon:
    """One of our own drawings, in a colour of the theme."""
    from PySide6.QtCore import QByteArray  # late, as what follows: the first screen needs none
    from PySide6.QtGui import QIcon, QPainter, QPixmap
    from PySide6.QtSvg import QSvgRenderer

    pixmap = QPixmap(96, 96)
    pixmap.fill(Qt.GlobalColor.transparent)
    svg = (HERE / "icons" / f"{name}.svg").read_text(encoding="utf-8")
    painter = QPainter(pixmap)
    QSvgRenderer(QByteArray(svg.replace("currentColor", getattr(_current, colour)).encode())).render(painter)
    painter.end()
    return QIcon(pixmap)


def _sheet(t: Theme) -> str:
    return _frames(t) + _buttons(t) + _fields(t) + _lists(t)


def _frames(t: Theme) -> str:
    return f"""
    QMainWindow, QDialog {{ background: {t.paper}; }}
    QMenuBar {{ background: {t.rail}; color: {t.ink}; padding: 2px 6px; }}
    QMenuBar::item {{ padding: 5px 10px; background: transparent; border-radius: 4px; }}
    QMenuBar::item:selected {{ background: {t.ink}; color: {t.card}; }}
    QMenu {{ background: {t.card}; color: {t.ink}; border: 1px solid {t.line}; padding: 4px; }}
    QMenu::item {{ padding: 7px 26px; border-radius: 4px; }}
    QMenu::item:selected {{ background: {t.ink}; color: {t.card}; }}
    QMenu::item:disabled {{ color: {t.soft}; }}
    QMenu::separator {{ height: 1px; background: {t.line}; margin: 4px 8px; }}
    QToolTip {{ background: {t.card}; color: {t.ink}; border: 1px solid {t.line}; padding: 6px; }}
    QFrame#card {{ background: {t.card}; border: 1px solid {t.line}; border-radius: 10px; }}
    QFrame#rail {{ background: {t.rail}; }}
    """


def _buttons(t: Theme) -> str:
    return f"""
    QPushButton {{ background: {t.card}; color: {t.ink}; border: 1.5px solid {t.ink}; border-radius: 8px;
        padding: 0 16px; min-height: {HAND - 3}px; }}
    QPushButton:hover {{ background: {t.quiet_fill}; }}
    QPushButton:focus {{ border: 3px solid {t.focus}; padding: 0 14px; }}
    QPushButton:disabled {{ color: {t.soft}; border-color: {t.line}; background: {t.quiet_fill}; }}
    QPushButton#primary {{ background: {t.ink}; color: {t.card}; }}
    QPushButton#primary:hover {{ background: {t.good}; }}
    QPushButton#primary:disabled {{ color: {t.soft}; border-color: {t.line}; background: {t.quiet_fill}; }}
    QPushButton#stop {{ background: {t.bad}; color: {t.card}; border-color: {t.bad}; }}
    QPushButton#stop:disabled {{ color: {t.soft}; border-color: {t.line}; background: {t.quiet_fill}; }}
    QPushButton#quiet {{ border-color: {t.line}; }}
    QPushButton#quiet:focus {{ border-color: {t.focus}; }}
    QPushButton#rail {{ border-color: transparent; background: transparent; text-align: left; padding: 0 8px; }}
    QPushButton#rail:hover {{ background: {t.card}; }}
    QPushButton#rail:focus {{ border: 3px solid {t.focus}; padding: 0 6px; }}
    QPushButton:checked {{ background: {t.ink}; color: {t.card}; }}
    """


def _fields(t: Theme) -> str:
    return f"""
    QLineEdit {{ background: {t.card}; color: {t.ink}; border: 2px solid {t.line}; border-radius: 7px;
        padding: 2px 8px; selection-background-color: {t.focus}; }}
    QLineEdit:focus {{ border-color: {t.focus}; }}
    QSpinBox {{ background: {t.card}; color: {t.ink}; border: 2px solid {t.line}; border-radius: 7px;
        padding: 2px 4px; selection-background-color: {t.focus}; }}
    QSpinBox:focus {{ border-color: {t.focus}; }}
    QSpinBox::up-button, QSpinBox::down-button {{ width: 0; border: none; }}
    QSpinBox QLineEdit {{ border: none; padding: 0 10px; background: transparent; }}
    QComboBox {{ background: {t.card}; color: {t.ink}; border: 1.5px solid {t.line}; border-radius: 7px;
        padding: 0 0 0 10px; min-height: {HAND - 3}px; }}
    QComboBox:focus {{ border-color: {t.focus}; }}
    QComboBox:disabled, QLineEdit:disabled, QSpinBox:disabled {{ color: {t.soft}; background: {t.quiet_fill}; }}
    QComboBox::drop-down {{ border: none; width: 26px; }}
    QComboBox::down-arrow {{ image: url({(HERE / "icons" / f"down-{t.name}.svg").as_posix()}); width: 14px; }}
    QComboBox QAbstractItemView {{ background: {t.card}; color: {t.ink}; selection-background-color: {t.ink};
        selection-color: {t.card}; border: 1px solid {t.line}; }}
    QSlider {{ min-height: {HAND}px; }}
    QSlider::groove:horizontal {{ height: 6px; background: {t.line}; border-radius: 3px; }}
    QSlider::sub-page:horizontal {{ background: {t.good}; border-radius: 3px; }}
    QSlider::handle:horizontal {{ width: 30px; height: 30px; margin: -13px 0; border-radius: 16px;
        background: {t.ink}; border: 1px solid {t.card}; }}
    QSlider::sub-page:horizontal:disabled, QSlider::handle:horizontal:disabled {{ background: {t.line}; }}
    QSlider::handle:horizontal:focus {{ border: 3px solid {t.focus}; }}
    """


def _lists(t: Theme) -> str:
    return f"""
    QPlainTextEdit {{ background: {t.card}; color: {t.ink}; border: 1px solid {t.line}; border-radius: 10px;
        padding: 8px; }}
    QPlainTextEdit:focus {{ border: 2px solid {t.focus}; }}
    QTextBrowser {{ background: {t.card}; color: {t.ink}; border: 1px solid {t.line}; border-radius: 10px; }}
    QTextBrowser:focus {{ border: 2px solid {t.focus}; }}
    QListWidget {{ color: {t.ink}; padding: 6px; }}
    QListWidget::item {{ padding: 5px 8px; border-radius: 5px; }}
    QListWidget::item:selected {{ background: {t.ink}; color: {t.card}; }}
    QListWidget::item:disabled {{ color: {t.soft}; padding-top: 12px; }}
    QListView {{ background: {t.card}; border: 1px solid {t.line}; border-radius: 10px; }}
    QListView:focus {{ border: 2px solid {t.focus}; }}
    QScrollArea, QScrollArea > QWidget > QWidget {{ background: transparent; border: none; }}
    QScrollBar:vertical {{ background: transparent; width: 12px; }}
    QScrollBar::handle:vertical {{ background: {t.line}; border-radius: 5px; min-height: 40px; }}
    QScrollBar::add-line:vertical, QScrollBar::sub-line:vertical {{ height: 0; }}
    QScrollBar:horizontal {{ background: transparent; height: 12px; }}
    QScrollBar::handle:horizontal {{ background: {t.line}; border-radius: 5px; min-width: 40px; }}
    QScrollBar::add-line:horizontal, QScrollBar::sub-line:horizontal {{ width: 0; }}
    """
