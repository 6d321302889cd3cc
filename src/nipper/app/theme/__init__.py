"""Colours, fonts, icons and the style sheet, all from one palette.

The theme follows the desktop unless told otherwise.
"""

from functools import lru_cache
from importlib import resources

from PySide6.QtCore import QObject, Qt, QTimer, Signal, Slot
from PySide6.QtGui import QColor, QFont, QFontDatabase, QGuiApplication
from PySide6.QtWidgets import QApplication, QWidget
from shiboken6 import isValid

from nipper.app.theme.palette import DARK, LIGHT, Palette
from nipper.app.theme.sheet import colours, style_sheet

FONTS = (
    "SourceSans3-Regular.ttf",
    "SourceSans3-SemiBold.ttf",
    "SourceSans3-Bold.ttf",
    "SourceCodePro-Regular.ttf",
)
FAMILY, MONO = "Source Sans 3", "Source Code Pro"
BASE_PT = 10.5
MODES = ("desktop", "light", "dark")
AT_ONCE = 150  # widgets dressed in one turn of the loop, some 10 ms


class Theme(QObject):
    """The theme in force. ``changed`` carries the palette; whoever paints listens to it."""

    changed = Signal(object)

    def __init__(self, mode: str = "desktop", parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._mode = mode
        self._worn: Palette | None = None
        self._undressed: list[QWidget] = []
        self._turn = QTimer(self, singleShot=True, interval=0)
        self._turn.timeout.connect(self._dress_some)
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
        """Dress the application: what is seen at once, what is hidden turn by turn."""
        self.palette = self._wanted()
        if self.palette is self._worn:
            return
        self._worn = self.palette
        app = QApplication.instance()
        if isinstance(app, QApplication):
            self._dress(app)
        self.changed.emit(self.palette)

    def _dress(self, app: QApplication) -> None:
        app.setPalette(colours(self.palette))
        sheet = style_sheet()
        if app.styleSheet() != sheet:
            app.setStyleSheet(sheet)
            return
        # of each widget Qt keeps what the sheet made of the palette
        widgets = app.allWidgets()
        for widget in widgets:
            if widget.isVisible():
                _dress_anew(widget)
        self._undressed = [widget for widget in widgets if not widget.isVisible()]
        self._turn.start()

    def finish(self) -> None:
        """Dress what is hidden now: it is about to be seen."""
        while self._undressed:
            self._dress_some()

    @Slot()
    def _dress_some(self) -> None:
        some, self._undressed = self._undressed[:AT_ONCE], self._undressed[AT_ONCE:]
        for widget in some:
            if isValid(widget):
                _dress_anew(widget)
        if self._undressed:
            self._turn.start()

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


def _dress_anew(widget: QWidget) -> None:
    widget.style().polish(widget)
    widget.update()


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
