"""Paper and ink with a brass accent: the two themes, and the style sheet made from them."""

from dataclasses import dataclass, fields

from PySide6.QtCore import QObject, Signal, SignalInstance
from PySide6.QtGui import QColor, QFont, QFontDatabase, QPalette

from truegauge import assets
from truegauge.palette import BRASS, INK, NEAR, OUTSIDE, PAPER, WITHIN
from truegauge.rendering.scene import Palette


@dataclass(frozen=True)
class Theme:
    """The colours of one theme, #RRGGBB."""

    name: str
    ink: str
    soft: str
    paper: str
    raised: str
    view: str
    rule: str
    accent: str
    accent_soft: str
    band: str
    tick: str
    rail: str
    rail_text: str
    rail_active: str
    within: str
    near: str
    outside: str
    palette: Palette


DAY = Theme(
    "day", INK, "#5C666E", "#FBFAF6", "#FFFFFF", PAPER, "#D9D4C6", BRASS, "#F1E8D6", "#E6E0D0", "#A59F8F",
    INK, "#C9D0D5", "#FFFFFF", WITHIN, NEAR, OUTSIDE,
    Palette(background=(243, 241, 235)),
)  # fmt: skip
NIGHT = Theme(
    "night", "#E9E6DD", "#9FA8AE", "#20282F", "#2A333B", "#171D22", "#3B464F", "#D3A54B", "#3A3626", "#3D4548",
    "#77817F", "#11161A", "#9FA8AE", "#FFFFFF", "#3FB3BA", "#E0A93A", "#E2694F",
    Palette(background=(23, 29, 34), part=(150, 155, 158), no_data=(108, 112, 115), unseen=(70, 76, 80),
            edge=(8, 11, 14), points=(120, 180, 210), off_points=(92, 88, 78),
            hover=(196, 170, 108), selected=(211, 165, 75), feature_points=(255, 214, 130)),
)  # fmt: skip
THEMES = {"day": DAY, "night": NIGHT}
DEEP_BRASS = "#8F671B"  # white is readable on it


class _Told(QObject):
    changed = Signal()


class LiveTheme(Theme):
    """The theme of a window: widgets keep it and read its colours whenever they paint; `changed` says that they did."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(**{f.name: getattr(theme, f.name) for f in fields(Theme)})
        self.__dict__["_told"] = _Told()

    @property
    def changed(self) -> SignalInstance:
        """The signal that the colours are others now."""
        told: _Told = self.__dict__["_told"]
        return told.changed

    def become(self, theme: Theme) -> None:
        """Take the colours of a theme."""
        self.__dict__.update({f.name: getattr(theme, f.name) for f in fields(Theme)})
        self.changed.emit()


FAMILY = "B612"


def load_fonts() -> None:
    """Make the shipped fonts known to Qt."""
    for path in (assets.REGULAR, assets.BOLD):
        QFontDatabase.addApplicationFont(str(path))


def font(points: float, *, bold: bool = False) -> QFont:
    """Return the application's font in a size (pixels at 96 dpi scale with the screen)."""
    made = QFont(FAMILY)
    made.setPixelSize(round(points))
    made.setBold(bold)
    return made


def state_color(theme: Theme, state: str) -> str:
    """Return the colour of a state."""
    colors = {"within": theme.within, "near": theme.near, "undecided": theme.near, "outside": theme.outside}
    return colors.get(state, theme.soft)


def on(t: Theme) -> tuple[str, str]:
    """Return the fill of what is to be pressed first, and a colour that is readable on it (4.5 to 1)."""
    return (DEEP_BRASS, "#FFFFFF") if t.name == DAY.name else (t.accent, t.view)


def qt_palette(t: Theme) -> QPalette:
    """Return the colours for what a style sheet does not reach: ticks in boxes, marks in menus."""
    made, role = QPalette(), QPalette.ColorRole
    for where, color in (
        (role.Window, t.paper), (role.WindowText, t.ink), (role.Base, t.raised), (role.AlternateBase, t.paper),
        (role.Text, t.ink), (role.Button, t.raised), (role.ButtonText, t.ink), (role.Highlight, t.accent),
        (role.HighlightedText, "#FFFFFF"), (role.ToolTipBase, t.raised), (role.ToolTipText, t.ink),
        (role.PlaceholderText, t.soft),
    ):  # fmt: skip
        made.setColor(where, QColor(color))
    return made


def style_sheet(t: Theme) -> str:
    """Return the Qt style sheet of a theme."""
    return f"""
* {{ font-family: {FAMILY}; font-size: 13px; color: {t.ink}; }}
QWidget#window, QWidget#bench, QWidget#ledger, QWidget#guide, QWidget#header {{ background: {t.paper}; }}
QWidget#header {{ border-bottom: 1px solid {t.rule}; }}
QWidget#bench {{ border-right: 1px solid {t.rule}; }}
QWidget#ledger, QWidget#guide {{ border-left: 1px solid {t.rule}; }}
QWidget#rail {{ background: {t.rail}; }}
QLabel {{ background: transparent; }}
QLabel[role="title"] {{ font-weight: bold; font-size: 15px; }}
QLabel[role="heading"] {{ font-weight: bold; font-size: 13px; }}
QLabel[role="soft"] {{ color: {t.soft}; font-size: 12px; }}
QLabel[role="big"] {{ font-weight: bold; font-size: 26px; }}
QLabel[role="bad"] {{ color: {t.outside}; font-size: 12px; }}
QLabel[role="chip"] {{ border: 1px solid {t.rule}; border-radius: 11px; padding: 2px 11px; background: {t.raised}; }}
QLabel[role="chip"][alert="true"] {{ border-color: {t.outside}; color: {t.outside}; }}
QLineEdit, QDoubleSpinBox, QComboBox {{ background: {t.raised}; border: 1px solid {t.rule}; border-radius: 5px;
    padding: 4px 7px; selection-background-color: {t.accent}; selection-color: #FFFFFF; }}
QLineEdit:focus, QDoubleSpinBox:focus, QComboBox:focus {{ border-color: {t.accent}; }}
QDoubleSpinBox QLineEdit {{ border: none; padding: 0 7px; background: transparent; }}
QDoubleSpinBox::up-button, QDoubleSpinBox::down-button {{ width: 0; border: none; }}
QLineEdit[wrong="true"] {{ border-color: {t.outside}; }}
QLineEdit[role="name"] {{ font-weight: bold; background: transparent; border-color: transparent; padding-left: 2px; }}
QLineEdit[role="name"]:hover, QLineEdit[role="name"]:focus {{ border-color: {t.rule}; background: {t.raised}; }}
QPushButton[role="row"] {{ text-align: left; padding: 5px 8px; font-size: 12px; }}
QComboBox::drop-down {{ border: none; width: 22px; }}
QPushButton {{ background: {t.raised}; border: 1px solid {t.rule}; border-radius: 6px; padding: 6px 12px; }}
QPushButton[role="next"] {{ background: {t.accent_soft}; border: none; border-left: 3px solid {t.accent};
    border-radius: 3px; padding: 0; }}
QPushButton:hover {{ border-color: {t.accent}; }}
QPushButton:focus {{ border: 1px solid {t.accent}; }}
QPushButton:disabled {{ color: {t.soft}; background: {t.paper}; }}
QPushButton:checked {{ background: {t.accent_soft}; border-color: {t.accent}; }}
QPushButton[main="true"] {{ background: {on(t)[0]}; color: {on(t)[1]}; border-color: {on(t)[0]}; font-weight: bold; }}
QPushButton[main="true"]:disabled {{ background: {t.accent_soft}; color: {t.soft}; border-color: {t.rule}; }}
QToolButton {{ background: transparent; border: none; padding: 4px; border-radius: 5px; }}
QToolButton:hover {{ background: {t.accent_soft}; }}
QToolButton:focus {{ border: 1px solid {t.accent}; }}
QListWidget::item:selected {{ background: {t.accent_soft}; color: {t.ink}; border-radius: 4px; }}
QTreeWidget::item:selected {{ background: {t.accent_soft}; color: {t.ink}; }}
QListWidget::indicator {{ width: 11px; height: 11px; border: 1px solid {t.soft}; border-radius: 3px;
    background: {t.raised}; }}
QListWidget::indicator:checked {{ background: {t.accent}; border-color: {t.accent}; }}
QCheckBox::indicator {{ width: 12px; height: 12px; border: 1px solid {t.soft}; border-radius: 3px;
    background: {t.raised}; }}
QCheckBox::indicator:checked {{ background: {DEEP_BRASS};
    border-color: {DEEP_BRASS}; image: url({assets.TICK.as_posix()}); }}
QCheckBox::indicator:disabled {{ border-color: {t.rule}; }}
QCheckBox:focus {{ color: {t.accent}; }}
QTableWidget {{ background: {t.raised}; border: 1px solid {t.rule}; gridline-color: {t.rule}; }}
QTableWidget::item:selected {{ background: {t.accent_soft}; color: {t.ink}; }}
QHeaderView::section {{ background: {t.paper}; border: none; border-bottom: 1px solid {t.rule}; padding: 4px; }}
QListView, QScrollArea {{ background: transparent; border: none; outline: none; }}
QScrollArea > QWidget > QWidget {{ background: transparent; }}
QFrame[role="card"] {{ background: {t.raised}; border: 1px solid {t.rule}; border-radius: 9px; }}
QFrame[role="notice"] {{ background: {t.raised}; border: 1px solid {t.outside}; border-radius: 9px; }}
QFrame[role="notice"][asks="true"] {{ background: {t.raised}; border: 1px solid {t.accent}; border-radius: 9px; }}
QMenu {{ background: {t.raised}; border: 1px solid {t.rule}; padding: 5px; }}
QMenu::item {{ padding: 5px 26px 5px 14px; border-radius: 4px; }}
QMenu::item:selected {{ background: {t.accent_soft}; }}
QMenu::item:disabled {{ color: {t.soft}; }}
QMenu::separator {{ height: 1px; background: {t.rule}; margin: 4px 8px; }}
QSlider::groove:horizontal {{ background: {t.band}; height: 5px; border-radius: 2px; }}
QSlider::sub-page:horizontal {{ background: {t.accent}; border-radius: 2px; }}
QSlider::handle:horizontal {{ background: {t.raised}; border: 1px solid {t.soft}; width: 13px; margin: -5px 0;
    border-radius: 7px; }}
QProgressBar {{ background: {t.band}; border: none; border-radius: 3px; max-height: 6px; }}
QProgressBar::chunk {{ background: {t.accent}; border-radius: 3px; }}
QScrollBar:vertical {{ background: transparent; width: 9px; margin: 0; }}
QScrollBar::handle:vertical {{ background: {t.rule}; border-radius: 4px; min-height: 30px; }}
QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; width: 0; }}
QScrollBar:horizontal {{ background: transparent; height: 9px; }}
QScrollBar::handle:horizontal {{ background: {t.rule}; border-radius: 4px; min-width: 30px; }}
QToolTip {{ background: {t.raised}; color: {t.ink}; border: 1px solid {t.rule}; padding: 4px; }}
QDialog {{ background: {t.paper}; }}
"""
