"""Protect: the limits on one ladder, the rest of them as fields, and what contradicts what."""

from PySide6.QtCore import Slot
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from nipper.app.document import Document, PackRecord
from nipper.app.stages.protect.form import SettingsForm
from nipper.app.stages.protect.ladder import VoltageLadder
from nipper.app.theme import Theme
from nipper.app.widgets.basic import SEMI, button, card, label
from nipper.app.widgets.field import UnitField
from nipper.core.findings import Finding, Severity
from nipper.core.logs.charges import read_at
from nipper.core.setup import Balancer, Cell, Charging, Setup, Wiring

FORMS = (
    ("Voltages", "cell_over_voltage cell_under_voltage pack_over_voltage pack_under_voltage"),
    ("Currents", "charge_over_current discharge_over_current short_circuit"),
    (
        "Temperatures",
        "charge_over_temperature charge_under_temperature discharge_over_temperature discharge_under_temperature mosfet_over_temperature",
    ),
)


class ProtectView(QWidget):
    """The stage Protect."""

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("page")
        self._document = document
        self.ladder = VoltageLadder(theme)
        self.forms: list[SettingsForm] = []
        self._subtitle = label("", "soft", wrap=True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 14, 18, 14)
        layout.setSpacing(6)
        layout.addWidget(label("Limits that hold together", size=16, weight=SEMI))
        layout.addWidget(self._subtitle)
        layout.addWidget(self.ladder, 1)
        layout.addWidget(self._fields())
        self.ladder.dragged.connect(self._dragged)
        self.ladder.dropped.connect(document.settle)
        self.ladder.picked.connect(self.show_field)
        document.setup_changed.connect(self.show_setup)
        document.findings_changed.connect(self._show_findings)
        document.record_changed.connect(self._record_changed)
        document.pack_changed.connect(self._show_cells)
        self.show_setup(document.setup)
        self._show_findings(document.findings)
        self._show_cells()

    def _fields(self) -> QWidget:
        frame, inside = card()
        tabs = QHBoxLayout()
        self._group, self._stack = QButtonGroup(self), QStackedWidget()
        for title, names in FORMS:
            self._add(tabs, title, SettingsForm().add_limits(tuple(names.split())))
        other = SettingsForm()
        other.add_part("charging", Charging, "Charger", ("absorption_v", "absorption_min", "float_v", "max_charge_a", "tail_a"), 0)
        other.add_part("balancer", Balancer, "Balancer", ("kind", "current_a", "start_v", "delta_mv", "when"), 2)
        other.add_part("charging", Charging, "Equalise", ("equalise_v", "equalise_every_days"), 4)
        self._add(tabs, "Charger and balancer", other)
        pack = SettingsForm()
        pack.add_part("", Setup, "Pack", ("name", "chemistry", "cells_in_series", "capacity_ah", "packs_in_parallel"), 0)
        pack.add_part("cell", Cell, "Cell, by its sheet", ("max_v", "min_v", "max_charge_a", "max_discharge_a", "resistance_mohm"), 2)
        pack.add_part("wiring", Wiring, "Wiring of one pack", ("fuse_a", "cable_mm2", "cable_length_m", "standby_w"), 4)
        self._add(tabs, "Pack and wiring", pack)
        references = SettingsForm().add_limits(("soc_full_v", "soc_empty_v", "power_off_v"))
        self._add(tabs, "References", references)
        tabs.addStretch(1)
        inside.addLayout(tabs)
        inside.addWidget(self._stack)
        self._group.idClicked.connect(self._stack.setCurrentIndex)
        return frame

    def _add(self, tabs: QHBoxLayout, title: str, form: SettingsForm) -> None:
        choice = button(title, "quiet")
        choice.setCheckable(True)
        choice.setChecked(not self.forms)
        self._group.addButton(choice, len(self.forms))
        tabs.addWidget(choice)
        self.forms.append(form)
        self._stack.addWidget(form)
        form.entered.connect(self._entered)

    @Slot(str, float)
    def _dragged(self, path: str, value: float) -> None:
        self._document.change({path: value}, f"Move {path}", merge=path)

    @Slot(str, object)
    def _entered(self, path: str, value: object) -> None:
        if not self._document.change({path: value}, f"Set {path}"):
            self.show_setup(self._document.setup)
            return
        self._document.settle()

    @Slot(str)
    def show_field(self, path: str) -> None:
        """Bring the field of a setting to the front, and the rung on the ladder."""
        for i, form in enumerate(self.forms):
            if path in form.paths:
                self._stack.setCurrentIndex(i)
                self._group.button(i).setChecked(True)
                break
        self.ladder.select(path)

    def type_into(self, path: str) -> None:
        """Put the keyboard on the field of a setting."""
        self.show_field(path)
        for form in self.forms:
            if path in form.paths:
                field = form.field(path)
                field.setFocus()
                if isinstance(field, UnitField):
                    field.selectAll()

    @Slot(object)
    def show_setup(self, setup: Setup) -> None:
        """Show the settings."""
        self.ladder.show_setup(setup)
        for form in self.forms:
            form.show_setup(setup)

    @Slot(object)
    def _show_findings(self, findings: list[Finding]) -> None:
        wrong = frozenset(path for f in findings if f.severity is Severity.ERROR for path in f.settings)
        self.ladder.show_wrong(wrong)

    @Slot(int, object)
    def _record_changed(self, pack_id: int, _: PackRecord | None) -> None:
        if pack_id == self._document.pack.id:
            self._show_cells()

    @Slot()
    def _show_cells(self) -> None:
        record = self._document.record
        full = record.diagnosis.estimate.full if record else []
        text = "Drag a limit, or select it and type."
        if record and full:
            read = read_at(record.log, self._document.setup, full[-1].top)
            self.ladder.show_cells(read)
            text += f" Ticks are the cells of {self._document.pack.name} at the top of the last full charge: highest {read.highest}, lowest {read.lowest}."
        else:
            self.ladder.show_cells(None)
            text += " With a log, the cells of the last full charge stand beside the curve."
        self._subtitle.setText(text)
