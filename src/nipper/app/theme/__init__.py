"""Colours, fonts, icons and the style sheet, all from one palette.

The theme follows the desktop unless told otherwise.
"""

from functools import lru_cache
from importlib import resources

from PySide6.QtCore import QObject, Qt, Signal, Slot
from PySide6.QtGui import QColor, QFont, QFontDatabase, QGuiApplication, QPalette
from PySide6.QtWidgets import QApplication

from nipper.app.theme.palette import DARK, LIGHT, Palette
from nipper.app.theme.sheet import style_sheet

FONTS = (
    "SourceSans3-Regular.ttf",
    "SourceSans3-SemiBold.ttf",
    "SourceSans3-Bold.ttf",
    "SourceCodePro-Regular.ttf",
)
FAMILY, MONO = "Source Sans 3", "Source Code Pro"
BASE_PT = 10.5
MODES = ("desktop", "light", "dark")


class Theme(QObject):
    """The theme in force. ``changed`` carries the palette; whoever paints listens to it."""

    changed = Signal(object)

    def __init__(self, mode: str = "desktop", parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._mode = mode
        self._worn: Palette | None = None
        self.palette = self._wanted()
        QGuiApplication.styleHints().colorSchemeChanged.connect(self._desktop_changed)

    @property
    def mode(self) -> str:
        """desktop, light or dark."""
        return self._mode

    def set_mode(self, mode: str) -> None:
        """Follow the desktop, or be light or dark whatever it is."""
        if mode not in MODES:
            raise KeyError(f"no theme {mode!r}; known: {', '.join(MODES)}")
        self._mode = mode
        self.apply()

    def colour(self, role: str) -> QColor:
        """The colour of a role."""
        return QColor(self.palette.role(role))

    def apply(self) -> None:
        """Dress the application; light from light is nothing to do, and half a second saved."""
        self.palette = self._wanted()
        if self.palette is self._worn:
            return
        self._worn = self.palette
        app = QApplication.instance()
        if isinstance(app, QApplication):
            app.setStyleSheet("")  # one sheet over another takes Qt five times as long
            app.setPalette(_qt_palette(self.palette))
            app.setStyleSheet(style_sheet(self.palette))
        self.changed.emit(self.palette)

    def _wanted(self) -> Palette:
        dark = self._mode == "dark" or (
            self._mode == "desktop"
            and QGuiApplication.styleHints().colorScheme() == Qt.ColorScheme.Dark
        )
        return DARK if dark else LIGHT

    @Slot(Qt.ColorScheme)
    def _desktop_changed(self, _: Qt.ColorScheme) -> None:
        if self._mode == "desktop":
            self.apply()


def load_fonts() -> None:
    """Make the shipped fonts known to Qt and the interface font the default, with tabular
    figures.
    """
    folder = resources.files("nipper.app.theme") / "fonts"
    for name in FONTS:
        QFontDatabase.addApplicationFontFromData((folder / name).read_bytes())
    QApplication.setFont(font())


def font(
    size: float = BASE_PT, weight: QFont.Weight = QFont.Weight.Normal, mono: bool = False
) -> QFont:
    """The interface font at a size, figures of one width."""
    return QFont(_font(size, weight, mono))  # a copy: whoever asks may change it


@lru_cache(maxsize=200)
def _font(size: float, weight: QFont.Weight, mono: bool) -> QFont:
    out = QFont(MONO if mono else FAMILY)
    out.setPointSizeF(size)
    out.setWeight(weight)
    out.setFeature(QFont.Tag("tnum"), 1)
    return out


def _qt_palette(p: Palette) -> QPalette:
    out = QPalette()
    group = QPalette.ColorRole
    for role, name in (
        (group.Window, "paper"),
        (group.Base, "card"),
        (group.AlternateBase, "paper"),
        (group.Button, "card"),
        (group.WindowText, "ink"),
        (group.Text, "ink"),
        (group.ButtonText, "ink"),
        (group.Highlight, "copper"),
        (group.HighlightedText, "on_copper"),
        (group.ToolTipBase, "card"),
        (group.ToolTipText, "ink"),
        (group.PlaceholderText, "faint"),
        (group.Mid, "line"),
        (group.Link, "copper"),
    ):
        out.setColor(role, QColor(p.role(name)))
    for role in (group.Text, group.WindowText, group.ButtonText):
        out.setColor(QPalette.ColorGroup.Disabled, role, QColor(p.faint))
    return out
