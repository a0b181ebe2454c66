"""Looks: colours by role, the shipped font, icons tinted by theme, one style sheet."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from importlib.resources import files

from PySide6.QtCore import QByteArray, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QFontDatabase, QGuiApplication, QIcon, QPainter, QPalette, QPixmap
from PySide6.QtSvg import QSvgRenderer
from PySide6.QtWidgets import QApplication


@dataclass(frozen=True)
class Theme:
    """Colours by role."""

    name: str
    woad: str
    weld: str
    madder: str
    text: str
    quiet: str
    chrome: str
    panel: str
    field: str
    hairline: str
    surround: str
    ready: str
    on_woad: str
    plot_grey: str


LIGHT = Theme(
    "light", "#2F4B7C", "#D9A520", "#B03A2E", "#23262B", "#62615C", "#EEECE6", "#F8F7F3", "#FFFFFF", "#D5D2C9",
    "#BDBDBB", "#4F7A28", "#FFFFFF", "#C4C5CA",
)  # fmt: skip
DARK = Theme(
    "dark", "#8FAADC", "#E0B64A", "#E27C70", "#E6E4DE", "#A9A7A0", "#26282C", "#2D3034", "#1F2124", "#44474C",
    "#5A5A59", "#9CC274", "#16181B", "#5C6068",
)  # fmt: skip

BRIGHT = (201, 70, 56)
FAMILY = "Source Sans 3"


def asset(*parts: str) -> str:
    """Path of a shipped file."""
    return str(files("woad.app").joinpath("assets", *parts))


@cache
def load_fonts() -> None:
    """Make the shipped font known to Qt; systems without fonts would show boxes."""
    for name in ("SourceSans3-Regular.ttf", "SourceSans3-Semibold.ttf", "SourceSans3-Bold.ttf"):
        QFontDatabase.addApplicationFont(asset("fonts", name))


def font(size: int = 13, weight: QFont.Weight = QFont.Weight.Normal) -> QFont:
    """The application's font at a pixel size, with tabular figures."""
    out = QFont(FAMILY)
    out.setPixelSize(size)
    out.setWeight(weight)
    out.setFeature(QFont.Tag("tnum"), 1)
    return out


def current() -> Theme:
    """The theme in force."""
    app = QApplication.instance()
    chosen = app.property("woad-theme") if app is not None else None
    return DARK if chosen == "dark" else LIGHT


def apply(wish: str = "system") -> Theme:
    """Apply ``light``, ``dark`` or the desktop's own wish to the whole application."""
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    load_fonts()
    app.setProperty("woad-wish", wish)
    if wish == "system":
        scheme = QGuiApplication.styleHints().colorScheme()
        wish = "dark" if scheme == Qt.ColorScheme.Dark else "light"
    if app.property("woad-theme") == wish:
        return current()  # a style sheet set anew styles every widget anew
    app.setProperty("woad-theme", wish)
    theme = current()
    app.setStyle("Fusion")
    app.setFont(font())
    app.setPalette(_palette(theme))
    app.setStyleSheet(_sheet(theme))
    return theme


def _palette(t: Theme) -> QPalette:
    p = QPalette()
    roles = {
        QPalette.ColorRole.Window: t.chrome,
        QPalette.ColorRole.WindowText: t.text,
        QPalette.ColorRole.Base: t.field,
        QPalette.ColorRole.AlternateBase: t.panel,
        QPalette.ColorRole.Text: t.text,
        QPalette.ColorRole.Button: t.panel,
        QPalette.ColorRole.ButtonText: t.text,
        QPalette.ColorRole.Highlight: t.woad,
        QPalette.ColorRole.HighlightedText: t.on_woad,
        QPalette.ColorRole.ToolTipBase: t.field,
        QPalette.ColorRole.ToolTipText: t.text,
        QPalette.ColorRole.PlaceholderText: t.quiet,
        QPalette.ColorRole.Link: t.woad,
    }
    for role, colour in roles.items():
        p.setColor(role, QColor(colour))
    for role in (QPalette.ColorRole.Text, QPalette.ColorRole.ButtonText, QPalette.ColorRole.WindowText):
        p.setColor(QPalette.ColorGroup.Disabled, role, QColor(t.quiet))
    return p


def _sheet(t: Theme) -> str:
    return f"""
QMenuBar {{ background: {t.chrome}; border-bottom: 1px solid {t.hairline}; padding: 1px 6px; }}
QMenuBar::item {{ padding: 3px 9px; background: transparent; }}
QMenuBar::item:selected {{ background: {t.hairline}; }}
QMenu {{ background: {t.panel}; border: 1px solid {t.hairline}; padding: 4px 0; }}
QMenu::item {{ padding: 4px 24px; }}
QMenu::item:selected {{ background: {t.woad}; color: {t.on_woad}; }}
QMenu::item:disabled {{ color: {t.quiet}; }}
QMenu::separator {{ height: 1px; background: {t.hairline}; margin: 4px 0; }}
QToolTip {{ background: {t.field}; color: {t.text}; border: 1px solid {t.hairline}; padding: 4px 6px; }}
QPushButton {{ background: {t.field}; border: 1px solid {t.hairline}; padding: 4px 10px; min-height: 17px; }}
QPushButton:hover {{ border-color: {t.quiet}; }}
QPushButton:focus {{ border-color: {t.woad}; }}
QPushButton:checked {{ background: {t.woad}; color: {t.on_woad}; border-color: {t.woad}; }}
QPushButton:disabled {{ color: {t.quiet}; background: {t.panel}; }}
QPushButton[primary="true"] {{ background: {t.woad}; color: {t.on_woad}; border-color: {t.woad}; }}
QPushButton[primary="true"]:disabled {{ background: {t.hairline}; color: {t.quiet}; border-color: {t.hairline}; }}
QPushButton[role="choice"] {{ padding: 4px 5px; }}
QPushButton[flat="true"] {{ border: none; background: transparent; color: {t.woad}; padding: 2px 4px; }}
QComboBox {{ background: {t.field}; border: 1px solid {t.hairline}; padding: 3px 8px; min-height: 18px; }}
QComboBox:focus {{ border-color: {t.woad}; }}
QComboBox::drop-down {{ border: none; width: 22px; }}
QComboBox::down-arrow {{ image: url({asset("icons", f"chevron-down-{t.name}.svg")}); width: 14px; height: 14px; }}
QComboBox QAbstractItemView {{ background: {t.panel}; border: 1px solid {t.hairline};
  selection-background-color: {t.woad}; selection-color: {t.on_woad}; }}
QLineEdit {{ background: transparent; border: none; border-bottom: 1px solid {t.hairline}; padding: 1px 2px; }}
QLineEdit:focus {{ border-bottom: 1px solid {t.woad}; }}
QCheckBox {{ spacing: 8px; }}
QCheckBox::indicator {{ width: 11px; height: 11px; border: 1px solid {t.quiet}; background: {t.field}; }}
QCheckBox::indicator:checked {{ background: {t.woad}; border-color: {t.woad}; }}
QCheckBox[role="madder"]::indicator:checked {{ background: {t.madder}; border-color: {t.madder}; }}
QCheckBox[role="weld"]::indicator:checked {{ background: {t.weld}; border-color: {t.weld}; }}
QCheckBox:focus {{ color: {t.woad}; }}
QProgressBar {{ background: {t.hairline}; border: none; max-height: 4px; }}
QProgressBar::chunk {{ background: {t.woad}; }}
QScrollArea, QScrollArea > QWidget > QWidget {{ background: transparent; border: none; }}
QScrollBar:vertical {{ background: transparent; width: 8px; }}
QScrollBar::handle:vertical {{ background: {t.hairline}; min-height: 24px; }}
QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; }}
QLabel[role="quiet"] {{ color: {t.quiet}; }}
QLabel[role="title"] {{ font-size: 17px; font-weight: 600; }}
QLabel[role="section"] {{ color: {t.quiet}; font-weight: 600; }}
QLabel[role="reading"] {{ font-weight: 600; }}
QFrame[role="line"] {{ background: {t.hairline}; max-height: 1px; border: none; }}
#chrome {{ background: {t.chrome}; }}
#panel {{ background: {t.panel}; border-left: 1px solid {t.hairline}; }}
#pile {{ background: {t.chrome}; border-right: 1px solid {t.hairline}; }}
#benchbar {{ background: {t.panel}; border-bottom: 1px solid {t.hairline}; }}
#viewbar {{ background: {t.panel}; border-bottom: 1px solid {t.hairline}; }}
#statusline {{ background: {t.chrome}; border-top: 1px solid {t.hairline}; }}
#message {{ background: {t.panel}; border: 1px solid {t.madder}; border-left: 4px solid {t.madder}; }}
"""


def icon(name: str, role: str = "text") -> QIcon:
    """A shipped icon tinted with a colour of the theme."""
    return _icon(name, getattr(current(), role))


@cache
def _icon(name: str, colour: str) -> QIcon:
    with open(asset("icons", f"{name}.svg"), encoding="utf-8") as file:
        svg = file.read().replace("currentColor", colour)
    renderer = QSvgRenderer(QByteArray(svg.encode()))
    out = QIcon()
    for size in (16, 32):
        pixmap = QPixmap(size, size)
        pixmap.fill(Qt.GlobalColor.transparent)
        painter = QPainter(pixmap)
        renderer.render(painter, QRectF(0, 0, size, size))
        painter.end()
        out.addPixmap(pixmap)
    return out
