"""How Nipper looks and in which units its fields are typed; kept for the next start."""

from PySide6.QtCore import QSettings, Signal, Slot
from PySide6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from nipper.app.theme import MODES
from nipper.app.widgets.basic import SEMI, button, label
from nipper.app.widgets.units import UNITS

THEMES = {"desktop": "as the desktop", "light": "light", "dark": "dark"}
SIZES = (90, 100, 115, 130, 150, 175, 200)  # % of the usual
TEMPERATURES = {"C": "°C", "F": "°F"}
SIZE_KEY, TEMPERATURE_KEY = "size_pct", "temperature"


def apply_units(settings: QSettings) -> None:
    """Use the units that were chosen."""
    UNITS.use_fahrenheit(settings.value(TEMPERATURE_KEY) == "F")


def size_factor(settings: QSettings) -> str:
    """What the whole interface is scaled by; empty where nothing, or nonsense, was chosen."""
    chosen = str(settings.value(SIZE_KEY, ""))
    return str(int(chosen) / 100.0) if chosen.isdecimal() and int(chosen) in SIZES else ""


class PreferencesPage(QWidget):
    """``themed`` carries the theme that was chosen."""

    themed = Signal(str)
    left = Signal()

    def __init__(self, settings: QSettings, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("page")
        self._settings = settings
        self.dress = _choice("Theme", THEMES)
        self.scale = _choice("Size", {str(s): f"{s} %" for s in SIZES})
        self.degrees = _choice("Temperatures in fields", TEMPERATURES)
        self.dress.activated.connect(self._theme_chosen)
        self.scale.activated.connect(self._size_chosen)
        self.degrees.activated.connect(self._temperature_chosen)
        layout, head, grid = QVBoxLayout(self), QHBoxLayout(), QGridLayout()
        layout.setContentsMargins(24, 18, 24, 18)
        head.addWidget(label("Preferences", size=16, weight=SEMI), 1)
        back = button("Back to the bench", "quiet")
        back.clicked.connect(self.left)
        head.addWidget(back)
        layout.addLayout(head)
        grid.setHorizontalSpacing(14)
        grid.setVerticalSpacing(10)
        for row, (box, about) in enumerate(
            (
                (self.dress, "Paper and ink, or graphite."),
                (self.scale, "Of everything in the window. From the next start on."),
                (
                    self.degrees,
                    "Fields show and take this unit. Sentences and figures keep °C, as cell "
                    "sheets do; files always do.",
                ),
            )
        ):
            grid.addWidget(label(box.accessibleName(), weight=SEMI), row, 0)
            grid.addWidget(box, row, 1)
            grid.addWidget(label(about, "soft", wrap=True), row, 2)
        grid.setColumnStretch(2, 1)
        layout.addLayout(grid)
        layout.addWidget(
            label(
                "Any field takes arithmetic and other units: 55.2/16, 3450 mV, 14 F, and 0.2C for "
                "a current, of the pack's own capacity.",
                "soft",
                wrap=True,
            )
        )
        layout.addStretch(1)

    def refresh(self) -> None:
        """Show what is chosen."""
        for box, key, usual in (
            (self.dress, "theme", MODES[0]),
            (self.scale, SIZE_KEY, "100"),
            (self.degrees, TEMPERATURE_KEY, "C"),
        ):
            box.setCurrentIndex(max(0, box.findData(str(self._settings.value(key, usual)))))

    @Slot()
    def _theme_chosen(self, *_: object) -> None:
        self.themed.emit(self.dress.currentData())

    @Slot()
    def _size_chosen(self, *_: object) -> None:
        self._settings.setValue(SIZE_KEY, self.scale.currentData())

    @Slot()
    def _temperature_chosen(self, *_: object) -> None:
        self._settings.setValue(TEMPERATURE_KEY, self.degrees.currentData())
        apply_units(self._settings)


def _choice(name: str, options: dict[str, str]) -> QComboBox:
    box = QComboBox()
    box.setAccessibleName(name)
    for value, words in options.items():
        box.addItem(words, value)
    return box
