"""Protect: the limits on one ladder, the rest of them as fields, and what contradicts what."""

from PySide6.QtCore import Slot
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from nipper.app.document import Document, PackRecord
from nipper.app.stage import StageView
from nipper.app.stages.protect.currents import CurrentChart
from nipper.app.stages.protect.forms import SECOND, make_forms
from nipper.app.stages.protect.ladder import VoltageLadder
from nipper.app.stages.protect.schools import SchoolTable
from nipper.app.theme import Theme
from nipper.app.widgets.basic import SEMI, button, card, choices, label
from nipper.app.widgets.field import UnitField
from nipper.app.widgets.form import SettingsForm
from nipper.app.widgets.row import Row
from nipper.app.widgets.temperatures import TemperatureChart
from nipper.core.chemistry import chemistry
from nipper.core.findings import Severity
from nipper.core.logs.moments import read_at
from nipper.core.report.temperatures import HIGHEST_C, LOWEST_C, rows
from nipper.core.rules.base import Evidence
from nipper.core.rules.schools import LimitSchool, limit_schools
from nipper.core.setup import (
    Setup,
)

FIGURES = ("Voltage", "Current and time", "Temperature", "Schools")
SECOND_DEVICE = {"kind": "active", "current_a": 2.0}


class ProtectView(StageView):
    """The stage Protect."""

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("page")
        self._document = document
        self.ladder, self.currents = VoltageLadder(theme), CurrentChart(theme)
        self.temperatures, self.schools = (
            TemperatureChart(theme, LOWEST_C, HIGHEST_C),
            SchoolTable(),
        )
        self.forms: list[SettingsForm] = []
        self._subtitle = label("", "soft", wrap=True)
        self._figure_group, self._figures = QButtonGroup(self), QStackedWidget()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 14, 18, 14)
        layout.setSpacing(6)
        layout.addLayout(self._heading())
        layout.addWidget(self._subtitle)
        for figure in (self.ladder, self.currents, self.temperatures, self.schools):
            self._figures.addWidget(figure)
        layout.addWidget(self._figures, 1)
        self._card = self._fields()
        layout.addWidget(self._card)
        for figure in (self.ladder, self.currents, self.temperatures):
            figure.dragged.connect(self._dragged)
            figure.dropped.connect(document.settings.settle)
            figure.picked.connect(self.show_field)
        self.schools.taken.connect(self._take)
        self.follow(self._show_now, document.settings.changed)
        self.follow(self._show_findings, document.judgement.changed)
        self.follow(self._show_cells, document.pack_changed)
        document.records.changed.connect(self._record_changed)
        self._show_now()
        self._show_findings()
        self._show_cells()

    def _heading(self) -> QHBoxLayout:
        line = QHBoxLayout()
        line.addWidget(label("Limits that hold together", size=16, weight=SEMI), 1)
        line.addWidget(choices(FIGURES, self._figure_group))
        self._figure_group.idClicked.connect(self.show_page)
        return line

    @Slot(int)
    def show_page(self, index: int) -> None:
        """Show the voltages, the currents, the temperatures or the schools, with their fields."""
        self._figure_group.button(index).setChecked(True)
        self._figures.setCurrentIndex(index)
        self._card.setVisible(index < 3)
        if index < 3:
            self._show_form(index)
        self.show_setup(self._document.setup)
        self._show_cells()

    @Slot(int)
    def _show_form(self, index: int) -> None:
        self._stack.setCurrentIndex(index)
        self._group.button(index).setChecked(True)
        self.forms[index].show_setup(self._document.setup)

    def _fields(self) -> QWidget:
        frame, inside = card()
        tabs = Row()
        self._group, self._stack = QButtonGroup(self), QStackedWidget()
        forms = make_forms()
        self.second = button(
            "Add one", "quiet", "A balancer that is a device of its own, beside the BMS"
        )
        self.second.clicked.connect(self._second_device)
        forms[SECOND].add_widget(self.second, 5, 3)
        for title, form in forms.items():
            self._add(tabs, title, form)
        inside.addWidget(tabs)
        inside.addWidget(self._stack)
        most = max(form.rows for form in forms.values())  # as high as the highest, made or not
        self._stack.setMinimumHeight(forms["Voltages"].height_of(most))
        self._group.idClicked.connect(self._show_form)
        return frame

    @Slot()
    def _second_device(self) -> None:
        """Add a separate balancer like the BMS's own but stronger, or take it out."""
        setup = self._document.setup
        own = (
            setup.balancer.model_dump()
            if setup.balancer
            else {
                "start_v": chemistry(setup.chemistry).usual["balance_start_v"].value,
                "delta_mv": 10.0,
                "when": "always",
            }
        )
        value = None if setup.separate_balancer else {**own, **SECOND_DEVICE}
        self._document.settings.enter({"separate_balancer": value}, "Separate balancer")

    @Slot(object)
    def _take(self, school: LimitSchool) -> None:
        self._document.settings.enter(dict(school.changes), f"School: {school.title}")

    def _add(self, tabs: Row, title: str, form: SettingsForm) -> None:
        choice = button(title, "quiet")
        choice.setCheckable(True)
        choice.setChecked(not self.forms)
        self._group.addButton(choice, len(self.forms))
        tabs.add(choice)
        self.forms.append(form)
        self._stack.addWidget(form)
        form.entered.connect(self._entered)

    @Slot(str, float)
    def _dragged(self, path: str, value: float) -> None:
        self._document.settings.change({path: value}, f"Move {path}", merge=path)

    @Slot(str, object)
    def _entered(self, path: str, value: object) -> None:
        if not self._document.settings.change({path: value}, f"Set {path}"):
            self.show_setup(self._document.setup)
            return
        self._document.settings.settle()

    @Slot(str)
    def show_field(self, path: str) -> None:
        """Bring the field of a setting to the front, the figure it stands in, and the rung on the
        ladder.
        """
        if self._figures.currentIndex() == 3:
            self.show_page(0)
        for i, form in enumerate(self.forms):
            if path in form.paths:
                if i < 3 and self._figures.currentIndex() != i:
                    self.show_page(i)
                self._show_form(i)
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
        """Show the settings; of the figures only the one that is looked at."""
        self.second.setText("Take it out" if setup.separate_balancer else "Add one")
        shown = self._figures.currentIndex()
        if shown == 0:
            self.ladder.show_setup(setup)
        elif shown == 1:
            self.currents.show_setup(setup)
        else:
            self._show_slow(shown, setup)
        self.forms[self._stack.currentIndex()].show_setup(
            setup
        )  # the others when they are looked at

    def _show_slow(self, shown: int, setup: Setup) -> None:
        record = self._document.record
        if shown == 2:
            sensors = [float(c) for c in record.diagnosis.estimate.sensors_c] if record else []
            self.temperatures.show_rows(rows(setup), sensors)
        else:
            evidence = self._document.evidence or Evidence()
            self.schools.show_schools(
                limit_schools(setup, evidence), evidence.above_mean_mv is not None
            )

    def _show_now(self) -> None:
        self.show_setup(self._document.setup)

    def _show_findings(self) -> None:
        findings = self._document.judgement.findings
        wrong = frozenset(
            path for f in findings if f.severity is Severity.ERROR for path in f.settings
        )
        for figure in (self.ladder, self.currents, self.temperatures):
            figure.show_wrong(wrong)

    @Slot(int, object)
    def _record_changed(self, pack_id: int, _: PackRecord | None) -> None:
        if pack_id == self._document.pack.id:
            self.later(self._show_record)

    def _show_record(self) -> None:
        self._show_now()
        self._show_cells()

    def _show_cells(self) -> None:
        self._subtitle.setText(self._say())

    def _say(self) -> str:
        """What the figure shows, in words; the cells are put on the ladder."""
        shown = self._figures.currentIndex()
        if shown == 1:
            return (
                "How long each current may flow in one pack. Drag a copper dot: the BMS "
                "opens before the fuse, the fuse before the lead is ruined, starts stay "
                "below."
            )
        if shown == 2:
            return (
                "Drag a limit. Solid: it switches off, dashed: on again. Black marks are the "
                "means of the log's sensors, the dotted line is freezing."
            )
        if shown == 3:
            return (
                "Practitioners differ on how much of the curve to use. Each school as it "
                "would be set here, and what it costs and brings."
            )
        record = self._document.record
        full = record.diagnosis.estimate.full if record else []
        text = "Drag a limit, or select it and type."
        if record is None or not full:
            self.ladder.show_cells(None)
            return text + " With a log, the cells of the last full charge stand beside the curve."
        read = read_at(record.log, self._document.setup, full[-1].top)
        self.ladder.show_cells(read)
        return (
            text + f" Ticks are the cells of {self._document.pack.name} at the top of the last "
            f"full charge: highest {read.highest}, lowest {read.lowest}."
        )
