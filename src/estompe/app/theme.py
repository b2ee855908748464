"""The two themes, Paper and Charcoal: one set of roles, and the style sheet made from them."""

from dataclasses import dataclass
from functools import cache
from importlib import resources

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QGuiApplication

FAMILY = "Inter"


@dataclass(frozen=True)
class Theme:
    """Colours by role, as #RRGGBB."""

    name: str
    window: str
    panel: str
    raised: str
    ink: str
    soft: str
    hairline: str
    chalk: str
    slate: str
    ochre: str
    histogram: str
    wash: str
    view: str = "#B9B5AD"

    def color(self, role: str, alpha: int = 255) -> QColor:
        """A role's colour for painting."""
        color = QColor(getattr(self, role))
        color.setAlpha(alpha)
        return color


@dataclass(frozen=True)
class OverPicture:
    """Colours of what is drawn over the picture, whose ground is light in both themes. veil: a pale rim that lets it through."""

    ink: str = "#26231F"
    chalk: str = "#A63D22"
    ochre: str = "#80570C"
    rim: str = "#FBF9F4"

    @property
    def veil(self) -> QColor:
        color = QColor(self.rim)
        color.setAlpha(190)
        return color


OVER_PICTURE = OverPicture()
TAG_COLORS = {"coral": "#D0674D", "ochre": "#C29A3B", "moss": "#7C9455", "sea": "#4E8C98", "plum": "#8D6A94"}
"""The colours that mark rows of the Cast: readable on both themes."""
PAPER = Theme(
    "paper",
    "#E6E0D4",
    "#F3EFE6",
    "#FBF9F4",
    "#26231F",
    "#5F584D",
    "#CFC7B8",
    "#A63D22",
    "#34566B",
    "#80570C",
    "#DDD3C0",
    "#EAD3BC",
)
CHARCOAL = Theme(
    "charcoal",
    "#1B1A18",
    "#23211F",
    "#2E2B28",
    "#EDE8DF",
    "#A9A195",
    "#454039",
    "#E8795A",
    "#8FB6CC",
    "#DDAE55",
    "#4A443B",
    "#553A2C",
    view="#938F88",
)
THEMES = {theme.name: theme for theme in (PAPER, CHARCOAL)}


@cache
def load_fonts() -> str:
    """Register the fonts that ship with the application. Returns their family."""
    for file in sorted(item.name for item in (resources.files("estompe.app") / "fonts").iterdir()):
        if file.endswith(".otf"):
            QFontDatabase.addApplicationFontFromData((resources.files("estompe.app") / "fonts" / file).read_bytes())
    return FAMILY


class _Text:
    scale = 1.0


def set_text_size(name: str) -> float:
    """Show all text "small", "normal" or "large" from now on; the style sheet must be made again."""
    _Text.scale = {"small": 0.92, "large": 1.17}.get(name, 1.0)
    return _Text.scale


def font(pixels: int = 12, weight: QFont.Weight = QFont.Weight.Normal, spacing: float = 0.0) -> QFont:
    """The interface's font with tabular figures."""
    made = QFont(load_fonts())
    made.setPixelSize(round(pixels * _Text.scale))
    made.setWeight(weight)
    made.setFeature(QFont.Tag("tnum"), 1)
    if spacing:
        made.setLetterSpacing(QFont.SpacingType.AbsoluteSpacing, spacing)
    return made


def desktop_theme() -> Theme:
    """The theme that matches the desktop's choice."""
    hints = QGuiApplication.styleHints()
    dark = hints is not None and hints.colorScheme() == Qt.ColorScheme.Dark
    return CHARCOAL if dark else PAPER


def style_sheet(t: Theme) -> str:
    """Qt's style sheet for a theme."""
    return f"""
    * {{ font-family: "{FAMILY}"; font-size: {round(12 * _Text.scale)}px; color: {t.ink}; }}
    QWidget#window, QMenuBar {{ background: {t.window}; }}
    QWidget#panel, QScrollArea, QScrollArea > QWidget > QWidget {{ background: {t.panel}; border: 0; }}
    QWidget#status {{ background: {t.window}; border-top: 1px solid {t.hairline}; }}
    QWidget#sheet {{ background: {t.panel}; }}
    QFrame#hairline {{ background: {t.hairline}; border: 0; }}
    QLabel {{ background: transparent; }}
    QLabel[role="soft"] {{ color: {t.soft}; }}
    QLabel[role="error"] {{ color: {t.chalk}; }}
    QLabel[role="warning"] {{ color: {t.ochre}; }}
    QLabel[role="strong"] {{ font-weight: 600; }}
    QMenuBar {{ padding: 2px 4px; }}
    QMenuBar::item {{ padding: 3px 8px; background: transparent; border-radius: 3px; }}
    QMenuBar::item:selected {{ background: {t.raised}; }}
    QMenu {{ background: {t.raised}; border: 1px solid {t.hairline}; padding: 4px; }}
    QMenu::item {{ padding: 4px 20px 4px 12px; border-radius: 3px; }}
    QMenu::item:selected {{ background: {t.window}; }}
    QMenu::item:disabled {{ color: {t.soft}; }}
    QMenu::separator {{ height: 1px; background: {t.hairline}; margin: 4px 8px; }}
    QToolButton, QPushButton {{ background: transparent; border: 1px solid transparent; border-radius: 3px; padding: 3px 6px; }}
    QToolButton:hover, QPushButton:hover {{ background: {t.raised}; }}
    QToolButton:focus, QPushButton:focus {{ border: 1px solid {t.slate}; }}
    QToolButton:checked {{ background: {t.raised}; font-weight: 600; }}
    QToolButton::menu-indicator {{ image: none; width: 0; }}
    QPushButton {{ border: 1px solid {t.hairline}; background: {t.raised}; padding: 4px 10px; }}
    QPushButton[role="main"] {{ background: {t.chalk}; color: {t.raised}; border-color: {t.chalk}; font-weight: 600; }}
    QPushButton[role="link"] {{ color: {t.slate}; background: transparent; border: 0; border-bottom: 1px solid transparent; border-radius: 0; padding: 5px 0; text-align: left; }}
    QPushButton[role="link"]:hover, QPushButton[role="link"]:focus {{ color: {t.chalk}; }}
    QPushButton[role="link"]:disabled {{ color: {t.soft}; }}
    QPushButton::menu-indicator {{ image: none; width: 0; }}
    QWidget[role="cell"] {{ background: {t.raised}; border-radius: 3px; }}
    QToolButton[role="quiet"] {{ color: {t.soft}; padding: 1px; }}
    QComboBox {{ background: {t.raised}; border: 1px solid {t.hairline}; border-radius: 3px; padding: 1px 6px; min-height: 18px; }}
    QComboBox:focus {{ border-color: {t.slate}; }}
    QComboBox::drop-down {{ width: 12px; border: 0; }}
    QComboBox QAbstractItemView {{ background: {t.raised}; border: 1px solid {t.hairline}; selection-background-color: {t.window}; selection-color: {t.ink}; }}
    QLineEdit {{ background: {t.raised}; border: 1px solid {t.slate}; border-radius: 3px; padding: 0 4px; selection-background-color: {t.slate}; selection-color: {t.raised}; }}
    QCheckBox {{ spacing: 6px; }}
    QCheckBox::indicator {{ width: 12px; height: 12px; border: 1px solid {t.soft}; border-radius: 2px; background: {t.raised}; }}
    QCheckBox::indicator:checked {{ background: {t.chalk}; border-color: {t.chalk}; }}
    QTreeWidget::indicator {{ width: 12px; height: 12px; border: 1px solid {t.soft}; border-radius: 2px; background: {t.raised}; }}
    QTreeWidget::indicator:checked {{ background: {t.chalk}; border-color: {t.chalk}; }}
    QTreeWidget::indicator:indeterminate {{ background: {t.hairline}; }}
    QCheckBox:focus {{ color: {t.slate}; }}
    QProgressBar {{ background: {t.hairline}; border: 0; border-radius: 2px; max-height: 4px; min-height: 4px; }}
    QProgressBar::chunk {{ background: {t.chalk}; border-radius: 2px; }}
    QScrollBar:vertical {{ background: transparent; width: 8px; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {t.hairline}; border-radius: 3px; min-height: 24px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; width: 0; }}
    QScrollBar:horizontal {{ background: transparent; height: 8px; }}
    QScrollBar::handle:horizontal {{ background: {t.hairline}; border-radius: 3px; }}
    QSplitter::handle {{ background: {t.hairline}; }}
    QToolTip {{ background: {t.raised}; color: {t.ink}; border: 1px solid {t.hairline}; padding: 3px; }}
    QKeySequenceEdit QLineEdit {{ border-color: {t.hairline}; }}
    QTableView {{ background: {t.raised}; border: 1px solid {t.hairline}; selection-background-color: {t.window}; selection-color: {t.ink}; }}
    QTreeWidget {{ background: {t.raised}; border: 1px solid {t.hairline}; selection-background-color: {t.window}; selection-color: {t.ink}; outline: 0; }}
    QPlainTextEdit {{ background: {t.raised}; color: {t.ink}; border: 1px solid {t.hairline}; selection-background-color: {t.slate}; }}
    QTreeWidget::item {{ padding: 2px 0; }}
    QHeaderView {{ background: {t.panel}; border: 0; }}
    QHeaderView::section {{ background: {t.panel}; color: {t.soft}; border: 0; border-bottom: 1px solid {t.hairline}; padding: 3px 6px; }}
    QTableCornerButton::section {{ background: {t.panel}; border: 0; }}
    QAbstractSpinBox {{ background: {t.raised}; border: 1px solid {t.hairline}; border-radius: 3px; padding: 1px 4px; selection-background-color: {t.slate}; }}
    QAbstractSpinBox:focus {{ border-color: {t.slate}; }}
    QAbstractSpinBox::up-button, QAbstractSpinBox::down-button {{ width: 0; border: 0; }}
    QFrame#palette {{ background: {t.panel}; border: 1px solid {t.hairline}; }}
    QListWidget {{ background: {t.raised}; border: 1px solid {t.hairline}; outline: 0; }}
    QListWidget::item {{ padding: 3px 6px; }}
    QListWidget::item:selected {{ background: {t.wash}; color: {t.ink}; }}
    QListWidget::item:disabled {{ color: {t.soft}; padding-top: 6px; }}
    QMessageBox, QDialog {{ background: {t.panel}; }}
    """
