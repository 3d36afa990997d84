"""The two themes' tokens, the fonts, and the one style sheet made from them. Chrome is strictly neutral: R = G = B."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PyQt6.QtWidgets import QApplication


@dataclass(frozen=True)
class Theme:
    """Greys of one theme, as DESIGN names them."""

    name: str
    surround: str
    panel: str
    raised: str
    field: str
    edge: str
    line: str
    ink: str
    soft: str
    chosen: str
    chosen_ink: str

    def colour(self, token: str) -> QColor:
        """A token as a colour."""
        return QColor(getattr(self, token))


CARD = Theme(
    "Card", "#777777", "#B4B4B4", "#C6C6C6", "#D8D8D8", "#6E6E6E", "#8E8E8E", "#161616", "#454545", "#161616", "#F2F2F2"
)
DIM = Theme(
    "Dim room", "#3A3A3A", "#2E2E2E", "#3D3D3D", "#242424", "#7E7E7E", "#4C4C4C", "#E4E4E4", "#A6A6A6", "#E4E4E4", "#161616"
)
THEMES = {t.name: t for t in (CARD, DIM)}

#: Colours of the plots of red, green and blue; the only colours outside pictures and patches.
CHANNELS = ("#9E2B2B", "#2C6B34", "#2B4796")

_current = CARD
_applied: Theme | None = None


def current() -> Theme:
    """The theme in use."""
    return _current


def load_fonts() -> None:
    """Make Inter known to Qt from the files that ship with Velkin."""
    for path in sorted((Path(__file__).parents[1] / "fonts").glob("*.otf")):
        QFontDatabase.addApplicationFont(str(path))


def font(pixels: int = 13, weight: int = 400, capitals: bool = False) -> QFont:
    """Inter at a size in pixels with tabular numerals; `capitals` for the 11 px labels with 4 % tracking."""
    return QFont(_font(pixels, weight, capitals))  # which may be changed by whoever asked


@lru_cache
def _font(pixels: int, weight: int, capitals: bool) -> QFont:
    result = QFont("Inter")
    result.setPixelSize(pixels)
    result.setWeight(QFont.Weight(weight))
    result.setFeature(QFont.Tag(b"tnum"), 1)
    if capitals:
        result.setCapitalization(QFont.Capitalization.AllUppercase)
        result.setLetterSpacing(QFont.SpacingType.PercentageSpacing, 104)
    return result


def apply(app: QApplication, theme: Theme) -> None:
    """Put a theme on the whole program."""
    global _current, _applied
    if _applied is theme:
        return  # polishing every widget again is slow
    _current = _applied = theme
    app.setFont(font())
    palette = QPalette()
    role = QPalette.ColorRole
    for key, token in (
        (role.Window, "panel"), (role.Base, "field"), (role.AlternateBase, "field"), (role.Button, "raised"),
        (role.WindowText, "ink"), (role.Text, "ink"), (role.ButtonText, "ink"), (role.ToolTipBase, "field"),
        (role.ToolTipText, "ink"), (role.Highlight, "chosen"), (role.HighlightedText, "chosen_ink"), (role.PlaceholderText, "soft"),
        (role.Light, "raised"), (role.Mid, "line"), (role.Dark, "edge"), (role.Link, "ink"), (role.Accent, "chosen"),
    ):  # fmt: skip
        palette.setColor(key, theme.colour(token))
    app.setPalette(palette)
    app.setStyleSheet(_sheet(theme))


def _arrow(t: Theme, name: str) -> str:
    """The file of an arrow in the theme's ink, for the style sheet."""
    return str(Path(__file__).parent / "assets" / "arrows" / f"{name}-{t.ink[1:].lower()}.svg")


def _sheet(t: Theme) -> str:
    arrow, up = _arrow(t, "down"), _arrow(t, "up")
    tick, dot = _arrow(t, "tick"), _arrow(t, "dot")
    return f"""
    * {{ outline: none; }}
    QMainWindow, QWidget#panel, QScrollArea, QScrollArea > QWidget > QWidget {{ background: {t.panel}; color: {t.ink}; }}
    QLabel, QCheckBox, QRadioButton {{ color: {t.ink}; background: transparent; }}
    QLabel[soft="true"] {{ color: {t.soft}; font-size: 12px; }}
    QMenuBar {{ background: {t.panel}; color: {t.ink}; border: 0; }}
    QMenuBar::item {{ padding: 5px 8px; background: transparent; }}
    QMenuBar::item:selected {{ background: {t.chosen}; color: {t.chosen_ink}; }}
    QMenu {{ background: {t.raised}; color: {t.ink}; border: 1px solid {t.edge}; padding: 4px 0; }}
    QMenu::item {{ padding: 5px 28px 5px 28px; }}
    QMenu::item:selected {{ background: {t.chosen}; color: {t.chosen_ink}; }}
    QMenu::item:disabled {{ color: {t.soft}; }}
    QMenu::separator {{ height: 1px; background: {t.line}; margin: 4px 0; }}
    QToolTip {{ background: {t.field}; color: {t.ink}; border: 1px solid {t.edge}; padding: 3px 5px; }}
    QPushButton {{ background: {t.raised}; color: {t.ink}; border: 1px solid {t.edge}; border-radius: 2px;
                   min-height: 24px; padding: 0 12px; }}
    QPushButton[narrow="true"] {{ padding: 0 4px; }}
    QPushButton:hover {{ background: {t.field}; }}
    QPushButton:pressed, QPushButton:checked {{ background: {t.chosen}; color: {t.chosen_ink}; }}
    QPushButton:disabled {{ color: {t.soft}; border-color: {t.line}; background: {t.panel}; }}
    QPushButton[primary="true"] {{ background: {t.chosen}; color: {t.chosen_ink}; border-color: {t.chosen}; font-weight: 600; }}
    QPushButton[primary="true"]:disabled {{ background: {t.line}; color: {t.panel}; border-color: {t.line}; }}
    QComboBox, QLineEdit, QSpinBox, QDoubleSpinBox {{ background: {t.field}; color: {t.ink}; border: 1px solid {t.edge};
                   border-radius: 2px; min-height: 24px; padding: 0 6px; selection-background-color: {t.chosen};
                   selection-color: {t.chosen_ink}; }}
    QComboBox:focus, QLineEdit:focus, QSpinBox:focus, QDoubleSpinBox:focus {{ border: 2px solid {t.ink}; padding: 0 5px;
                   min-height: 22px; }}
    QCheckBox, QRadioButton {{ spacing: 8px; min-height: 20px; }}
    QCheckBox::indicator, QRadioButton::indicator {{ width: 12px; height: 12px; border: 1px solid {t.edge}; background: {t.field}; }}
    QCheckBox::indicator {{ border-radius: 2px; }}
    QRadioButton::indicator {{ border-radius: 7px; }}
    QCheckBox::indicator:checked {{ background: {t.chosen}; border-color: {t.chosen}; image: url("{tick}"); }}
    QRadioButton::indicator:checked {{ image: url("{dot}"); border-color: {t.ink}; }}
    QHeaderView::up-arrow, QHeaderView::down-arrow {{ width: 0; height: 0; }}
    QComboBox::drop-down {{ border: 0; width: 22px; }}
    QComboBox::down-arrow {{ image: url("{arrow}"); width: 9px; height: 9px; }}
    QSpinBox::up-button, QSpinBox::down-button, QDoubleSpinBox::up-button, QDoubleSpinBox::down-button {{ border: 0; width: 18px; }}
    QSpinBox::up-arrow, QDoubleSpinBox::up-arrow {{ image: url("{up}"); width: 8px; height: 8px; }}
    QSpinBox::down-arrow, QDoubleSpinBox::down-arrow {{ image: url("{arrow}"); width: 8px; height: 8px; }}
    QComboBox QAbstractItemView {{ background: {t.field}; color: {t.ink}; border: 1px solid {t.edge};
                   selection-background-color: {t.chosen}; selection-color: {t.chosen_ink}; }}
    QTableView, QListView, QTreeView {{ background: {t.panel}; color: {t.ink}; border: 0; gridline-color: {t.panel};
                   selection-background-color: {t.chosen}; selection-color: {t.chosen_ink}; font-size: 12px; }}
    QHeaderView {{ background: {t.panel}; border: 0; }}
    QHeaderView::section {{ background: {t.panel}; color: {t.soft}; border: 0; border-bottom: 1px solid {t.line};
                   padding: 0 4px; font-size: 11px; font-weight: 600; }}
    QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {t.line}; min-height: 28px; border-radius: 2px; margin: 2px; }}
    QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; height: 0; width: 0; }}
    QScrollBar:horizontal {{ background: transparent; height: 10px; }}
    QScrollBar::handle:horizontal {{ background: {t.line}; min-width: 28px; border-radius: 2px; margin: 2px; }}
    QProgressBar {{ background: {t.line}; border: 0; max-height: 4px; min-height: 4px; }}
    QProgressBar::chunk {{ background: {t.ink}; }}
    QSlider::groove:horizontal {{ background: {t.line}; height: 3px; }}
    QSlider::sub-page:horizontal {{ background: {t.ink}; height: 3px; }}
    QSlider::handle:horizontal {{ background: {t.ink}; width: 8px; margin: -7px 0; border: 1px solid {t.panel}; }}
    QSplitter::handle {{ background: {t.line}; }}
    """
