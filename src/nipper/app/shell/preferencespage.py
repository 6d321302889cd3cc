"""How Nipper looks and in which units, dates and marks it speaks; kept for the next start."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

from PySide6.QtCore import QLocale, QSettings, Signal, Slot
from PySide6.QtWidgets import QComboBox, QGridLayout, QVBoxLayout, QWidget

from nipper.app.widgets.basic import SEMI, label, page_head
from nipper.app.widgets.units import UNITS
from nipper.core.language import languages
from nipper.core.shown import Dates, Form

THEMES = {"desktop": "as the desktop", "light": "light", "dark": "dark"}
SIZES = (90, 100, 115, 130, 150, 175, 200)  # % of the usual
SIZE_KEY = "size_pct"
ENGLISH = "en"
SAMPLE = (
    "So it looks: on 27 Nov 2026 the charge stopped at 4.5 °C, resumed 2 K above, after 12.34 Ah "
    "and at 3.452 V a cell."
)


@dataclass(frozen=True, slots=True)
class Choice:
    """A preference: where it is kept, its name, what can be chosen (the first is usual), and what
    it is about.
    """

    key: str
    name: str
    options: Mapping[str, str]
    about: str


THEME = Choice("theme", "Theme", THEMES, "Paper and ink, or graphite.")
SIZE = Choice(
    SIZE_KEY,
    "Size",
    {"100": "100 %", **{str(s): f"{s} %" for s in SIZES if s != 100}},
    "Of everything in the window. From the next start on.",
)
FORMS = (
    Choice(
        "temperature",
        "Temperatures",
        {"C": "°C", "F": "°F"},
        "In fields, sentences and figures. Files and sheets to type from keep what they need.",
    ),
    Choice(
        "current",
        "A pack's currents",
        {"A": "amperes", "C": "C-rate"},
        "Fields of the protections and of the charge. 0.2C is a fifth of the pack's capacity an "
        "hour; amperes can still be typed, with their A.",
    ),
    Choice("date", "Dates", {d.name: d.value for d in Dates}, "Wherever a day is named."),
    Choice("mark", "Decimal mark", {"point": "3.45", "comma": "3,45"}, "Fields take either."),
    Choice(
        "digits",
        "Significant digits",
        {"0": "all that are known", "3": "at most 3", "2": "at most 2"},
        "Of numbers with a fraction, in sentences and figures. Volts and fields keep all.",
    ),
)  # fmt: skip


def form_of(settings: QSettings) -> Form:
    """The form of texts that was chosen; nonsense is as nothing chosen."""
    chosen = {c.key: _chosen(settings, c) for c in FORMS}
    return Form(
        fahrenheit=chosen["temperature"] == "F",
        comma=chosen["mark"] == "comma",
        dates=Dates[chosen["date"]],
        digits=int(chosen["digits"]),
        c_rates=chosen["current"] == "C",
        language=spoken(_chosen(settings, language())),
    )


def spoken(chosen: str) -> str:
    """The code of the language that was chosen, empty for English; that of the desktop where there
    is such a one.
    """
    if chosen:
        return chosen if chosen != ENGLISH else ""
    desktop = QLocale.system().name()
    known = (code for code in (desktop, desktop.partition("_")[0]) if code in languages())
    return next(known, "")


def language() -> Choice:
    """The languages that are there now."""
    return Choice(
        "language",
        "Language",
        {"": "as the desktop", ENGLISH: "English", **languages()},
        "Of all that is read in the window and on paper. From the next start on.",
    )


def _chosen(settings: QSettings, choice: Choice) -> str:
    """What was chosen, or what is usual."""
    usual = next(iter(choice.options))
    value = str(settings.value(choice.key, usual))
    return value if value in choice.options else usual


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
        self._choices = (language(), THEME, SIZE, *FORMS)
        self.boxes = {c.key: _box(c) for c in self._choices}
        layout, grid = QVBoxLayout(self), QGridLayout()
        layout.setContentsMargins(24, 18, 24, 18)
        layout.addLayout(page_head("Preferences", self.left))
        grid.setHorizontalSpacing(14)
        grid.setVerticalSpacing(10)
        for row, choice in enumerate(self._choices):
            self.boxes[choice.key].activated.connect(self._taken)
            grid.addWidget(label(choice.name, weight=SEMI), row, 0)
            grid.addWidget(self.boxes[choice.key], row, 1)
            grid.addWidget(label(choice.about, "soft", wrap=True), row, 2)
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
        self.sample = label("", "soft", wrap=True)
        layout.addWidget(self.sample)
        layout.addStretch(1)

    def refresh(self) -> None:
        """Show what is chosen."""
        for choice in self._choices:
            box = self.boxes[choice.key]
            box.setCurrentIndex(box.findData(_chosen(self._settings, choice)))
        self.sample.setText(SAMPLE)

    @Slot()
    def _taken(self, *_: object) -> None:
        """A choice was made: kept, and shown at once where it can be."""
        for key, box in self.boxes.items():
            if key != THEME.key and box is self.sender():
                self._settings.setValue(key, box.currentData())
        if self.boxes[THEME.key] is self.sender():
            self.themed.emit(self.boxes[THEME.key].currentData())
        now = form_of(self._settings)
        UNITS.use(replace(now, language=UNITS.form.language))


def _box(choice: Choice) -> QComboBox:
    box = QComboBox()
    box.setAccessibleName(UNITS.text(choice.name))
    for value, words in choice.options.items():
        box.addItem(UNITS.text(words), value)
    return box
