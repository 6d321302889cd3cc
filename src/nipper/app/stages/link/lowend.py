"""The low end: control by percentage beside control by volts, in rank, at a load one types."""

from PySide6.QtCore import Slot
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from nipper.app.document import Document
from nipper.app.theme import Theme
from nipper.app.widgets.basic import SEMI, StatusMark, card, clear, label
from nipper.app.widgets.field import UnitField
from nipper.app.widgets.form import SettingsForm
from nipper.app.widgets.units import UNITS
from nipper.core.link.lowend import By, amperes, doubts, rank
from nipper.core.report.lowend import HEADS, row
from nipper.core.setup import Link

WHAT_FOR = (
    "An inverter acts by the BMS's percentage, or by volts; the other set stays in force once the "
    "link is lost. Volts fall with the current, a count does not: so the order is shown under load."
)


class LowEndPage(QWidget):
    """The rank, what is wrong with it, and the two sets side by side."""

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setSpacing(8)
        layout.addWidget(label(WHAT_FOR, "soft", wrap=True))
        line = QHBoxLayout()
        self.load = UnitField("A", "current of the whole bank", "left empty: the most", True)
        self.load.set_bounds(0.0, 100_000.0)
        self.load.entered.connect(self._loaded)
        line.addWidget(label("under a load of"))
        line.addWidget(self.load)
        line.addStretch(1)
        layout.addLayout(line)
        frame, inside = card()
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(22)
        inside.addLayout(self._grid)
        layout.addWidget(frame)
        told = QHBoxLayout()
        self._mark, self.told = StatusMark(theme), label("", weight=SEMI, wrap=True)
        told.addWidget(self._mark)
        told.addWidget(self.told, 1)
        layout.addLayout(told)
        self.form = SettingsForm()
        count = ("charge_start_pct", "low_alarm_pct", "low_cut_pct", "low_restart_pct")
        volts = ("low_alarm_v", "low_cut_v", "low_restart_v")
        self.form.add_part("link", Link, "By percentage", count, 0)
        self.form.add_part("link", Link, "By volts, and without the link", volts, 2)
        self.form.entered.connect(self._entered)
        frame, inside = card()
        inside.addWidget(self.form)
        layout.addWidget(frame)
        layout.addStretch(1)

    @Slot()
    def refresh(self) -> None:
        """Show the rank of the settings as they stand."""
        setup = self._document.bank
        self.load.setPlaceholderText(UNITS.text(f"{amperes(setup):.0f} A"))
        clear(self._grid)
        for column, text in enumerate(HEADS):
            self._grid.addWidget(label(text, "soft"), 0, column)
        for number, act in enumerate(rank(setup, self.load.value), 1):
            role = "act" if act.by is By.BMS else ""
            for column, text in enumerate(row(act)):
                weight = SEMI if column in (0, 4) else label().font().weight()
                self._grid.addWidget(label(text, role, weight=weight), number, column)
        self._grid.setColumnStretch(len(HEADS), 1)
        wrong = doubts(setup, self.load.value)
        self._mark.set_status("watch" if wrong else "ok")
        self.told.setText(
            " ".join(wrong) or "With cells alike and warm, the inverter stops before the BMS must."
        )
        self.form.show_setup(self._document.setup)

    @Slot(object)
    def _loaded(self, _: object) -> None:
        self.refresh()

    @Slot(str, object)
    def _entered(self, path: str, value: object) -> None:
        if not self._document.settings.enter({path: value}, f"Set {path}"):
            self.refresh()
