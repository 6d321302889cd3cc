"""Cold: the temperature band, the proof of the cutoff with a bath that can prove it, waking a pack,
and a sensor against a meter.
"""

from datetime import UTC, datetime, tzinfo

from PySide6.QtCore import Slot
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QPlainTextEdit,
    QVBoxLayout,
    QWidget,
)

from nipper.app.document import Document
from nipper.app.stage import StageView
from nipper.app.theme import BASE_PT, Theme
from nipper.app.widgets.basic import SEMI, StatusMark, button, card, clear, label, scrolled
from nipper.app.widgets.field import UnitField
from nipper.app.widgets.row import Row
from nipper.app.widgets.temperatures import TemperatureChart
from nipper.app.widgets.units import UNITS
from nipper.core.chemistry import chemistry
from nipper.core.cold import bath as baths
from nipper.core.cold.plan import plan
from nipper.core.cold.proof import Proof, from_log, parse_readings, prove
from nipper.core.cold.recovery import recovery
from nipper.core.cold.thermistor import resistance_ohm, sensor_error_c
from nipper.core.errors import RangeError
from nipper.core.report.cold import cold_sentence
from nipper.core.report.temperatures import rows

PATH = "protection.charge_under_temperature"
STATUS = {
    "proven": "ok",
    "once": "watch",
    "not_proven": "act",
    "not_cold_enough": "watch",
    "nothing": "none",
}
CHARGER = {"trip_c": "charging.cold_stop_c", "release_c": "charging.cold_resume_c"}
WHO = {"bms": "the BMS stops it", "charger": "the charger, or a relay", "nobody": "nobody does"}
BETAS = (3380, 3435, 3950)


class ColdView(StageView):
    """The stage Cold."""

    def __init__(
        self, document: Document, theme: Theme, zone: tzinfo = UTC, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setObjectName("page")
        self._document, self._theme, self._zone = document, theme, zone
        self._proof: tuple[float, Proof] | None = None
        self._title, self._subtitle = (
            label("", size=16, weight=SEMI, wrap=True),
            label("", "soft", wrap=True),
        )
        self.band = TemperatureChart(theme, -30.0, 65.0)
        self.band.dragged.connect(self._dragged)
        self.band.dropped.connect(document.settings.settle)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 14, 18, 12)
        layout.setSpacing(6)
        layout.addWidget(self._title)
        layout.addWidget(self._subtitle)
        layout.addWidget(self.band)
        columns = QHBoxLayout()
        columns.setContentsMargins(0, 0, 0, 0)
        columns.setSpacing(10)
        left, right = QVBoxLayout(), QVBoxLayout()
        for column, cards in (
            (left, (self._proof_card(),)),
            (right, (self._limits_card(), self._wake_card(), self._meter_card())),
        ):
            column.setSpacing(8)
            for frame in cards:
                column.addWidget(frame)
            column.addStretch(1)
            columns.addLayout(column, 1)
        area = scrolled(columns)
        layout.addWidget(area, 1)
        self.follow(
            self._show,
            document.settings.changed,
            document.records.changed,
            document.pack_changed,
            document.history.events_changed,
        )
        self._show()

    # the cards

    def _limits_card(self) -> QWidget:
        frame, inside = card(12, 5)
        inside.addWidget(label("The cutoff of the charge", weight=SEMI, wrap=True))
        self.who = QComboBox()
        self.who.setAccessibleName(UNITS.text("who stops the charge"))
        self.who.addItems(UNITS.texts(list(WHO.values())))
        self.who.setToolTip(UNITS.text("Who stops the charge in the cold"))
        self.who.activated.connect(self._who_chosen)
        line = Row(self.who)
        self.fields: dict[str, UnitField] = {}
        for name, title in (("trip_c", "stops below"), ("release_c", "resumes at")):
            field = UnitField(
                "°C",
                title,
                "Nothing charges below 0 °C; many stop at 2 to 5 °C and resume 1 to 3 K above",
            )
            field.setProperty("name", name)
            field.entered.connect(self._entered)
            self.fields[name] = field
            line.add(Row(label(title, "soft"), field))
        inside.addWidget(line)
        self._plan = QVBoxLayout()
        self._plan.setSpacing(3)
        inside.addLayout(self._plan)
        inside.addWidget(
            label(
                "The sensor belongs on the coldest cell, nearest the outer wall. The "
                "cell maker's sheet overrides every value here.",
                "soft",
                wrap=True,
            )
        )
        return frame

    def _proof_card(self) -> QWidget:
        frame, inside = card(12, 6)
        inside.addWidget(
            label("Prove it: while it charges, put the sensor into a bath", weight=SEMI, wrap=True)
        )
        line = QHBoxLayout()
        self.bath, self.salt = (
            QComboBox(),
            UnitField("%", "salt", "Salt, % of the mass of water and salt"),
        )
        self.bath.setAccessibleName(UNITS.text("bath"))
        self.bath.addItems(UNITS.texts(["ice water", "salted ice", "salt mix from the freezer"]))
        self.salt.set_bounds(0.0, 40.0)
        self.salt.set_value(8.0)
        self.bath.activated.connect(self._bath_changed)
        self.salt.entered.connect(self._bath_changed)
        self._salt_word = label("salt", "soft")
        for widget in (self.bath, self._salt_word, self.salt):
            line.addWidget(widget)
        line.addStretch(1)
        inside.addLayout(line)
        self._how = label("", "soft", BASE_PT - 0.5, wrap=True)
        verdict = QHBoxLayout()
        self._bath_mark, self._bath_says = StatusMark(self._theme), label("", wrap=True)
        verdict.addWidget(self._bath_mark)
        verdict.addWidget(self._bath_says, 1)
        inside.addWidget(self._how)
        inside.addLayout(verdict)
        inside.addWidget(
            label(
                "What was seen: minutes, °C as the BMS shows its sensor (not the bath's), A of "
                "charge; a line each. Cool it slowly, or plunge it twice.",
                "soft",
                BASE_PT - 0.5,
                wrap=True,
            )
        )
        self.readings = QPlainTextEdit(placeholderText="0   15   20\n3    6   20\n4    4    0\n…")
        self.readings.setAccessibleName(UNITS.text("Readings of the test"))
        self.readings.setFixedHeight(104)
        inside.addWidget(self.readings)
        self.judge_typed = button("Judge these", "", "Finds where the charge stopped and went on")
        self.judge_log = button(
            "Look in this pack's log",
            "quiet",
            "Finds the newest time at which a sensor came to the cutoff while charging",
        )
        self.keep = button(
            "Keep this proof",
            "main",
            "Puts it on the bench's time line with today's date, or that of the log",
        )
        self.judge_typed.clicked.connect(self.judge_readings)
        self.judge_log.clicked.connect(self.look_in_log)
        self.keep.clicked.connect(self.keep_proof)
        inside.addWidget(Row(self.judge_typed, self.judge_log))
        answer = QHBoxLayout()
        self._mark, self._says = StatusMark(self._theme), label("", wrap=True, size=BASE_PT + 1)
        answer.addWidget(self._mark)
        answer.addWidget(self._says, 1)
        inside.addLayout(answer)
        inside.addWidget(self.keep)
        return frame

    def _wake_card(self) -> QWidget:
        frame, inside = card(12, 4)
        inside.addWidget(
            label("A pack the cold or low voltage has shut off", weight=SEMI, wrap=True)
        )
        self._steps = QVBoxLayout()
        self._steps.setSpacing(3)
        inside.addLayout(self._steps)
        return frame

    def _meter_card(self) -> QWidget:
        frame, inside = card(12, 4)
        inside.addWidget(label("A sensor against a meter, in ice water", weight=SEMI, wrap=True))
        line = QHBoxLayout()
        self.beta, self.ohm = (
            QComboBox(),
            UnitField(
                "Ω",
                "measured",
                "What the meter shows across the unplugged sensor in ice water",
                optional=True,
            ),
        )
        self.beta.setAccessibleName(UNITS.text("kind of sensor"))
        self.ohm.set_bounds(1.0, 1e7)
        for beta in BETAS:
            self.beta.addItem(UNITS.text(f"10 kΩ, beta {beta}"), beta)
        self.beta.setCurrentIndex(1)
        self.beta.activated.connect(self._meter_changed)
        self.ohm.entered.connect(self._meter_changed)
        line.addWidget(self.beta)
        line.addWidget(label("measured", "soft"))
        line.addWidget(self.ohm)
        line.addStretch(1)
        inside.addLayout(line)
        self._meter_says = label("", wrap=True)
        inside.addWidget(self._meter_says)
        return frame

    # showing

    @Slot()
    def _show(self) -> None:
        setup = self._document.setup
        limit, told = setup.charge_cutoff, plan(setup)
        self.who.setCurrentIndex(list(WHO).index(told.who))
        clear(self._plan)
        for i, step in enumerate(told.steps, 1):
            self._plan.addWidget(label(f"{i}. {step}", size=BASE_PT - 0.5, wrap=True))
        proof = self._document.history.last_proof(self._document.pack.id)
        record = self._document.record
        diagnosis = record.diagnosis if record else None
        _, sentence = cold_sentence(setup, proof, self._document.now(self._zone), diagnosis)
        self._title.setText(f"{self._document.pack.name}: {sentence}")
        self._subtitle.setText(
            "Charging by temperature. Rates between the cutoffs are common practice; "
            "black marks are the means of the log's sensors."
        )
        for name, field in self.fields.items():
            field.set_value(getattr(limit, name) if limit else None)
            field.setEnabled(told.who != "nobody")
        clear(self._steps)
        for i, step in enumerate(recovery(setup).steps, 1):
            self._steps.addWidget(label(f"{i}. {step}", size=BASE_PT - 0.5, wrap=True))
        self.judge_log.setEnabled(self._document.record is not None)
        self.keep.setVisible(self._proof is not None and self._proof[1].verdict == "proven")
        if limit is None:
            self._says.setText("")
        self._bath_changed()
        self._meter_changed()

    def _chosen_bath(self) -> baths.Bath:
        index = self.bath.currentIndex()
        return (
            baths.ice_water,
            lambda: baths.salted_ice(min(max(self.salt.value or 0.0, 0.0), 26.0)),
            baths.freezer_mix,
        )[index]()

    @Slot()
    def _bath_changed(self) -> None:
        setup, chosen = self._document.setup, self._chosen_bath()
        limit = setup.charge_cutoff
        for widget in (self.salt, self._salt_word):
            widget.setVisible(self.bath.currentIndex() == 1)
        status, words = baths.judge(chosen, limit)
        self._how.setText(chosen.how)
        self._bath_mark.set_status(status)
        self._bath_says.setText(words.replace(" -", " −"))
        record = self._document.record
        sensors = [float(c) for c in record.diagnosis.estimate.sensors_c] if record else []
        self.band.show_rows(rows(setup)[:1], sensors, (chosen.low_c, chosen.high_c, chosen.title))

    @Slot()
    def _meter_changed(self) -> None:
        beta = int(self.beta.currentData())
        expected = resistance_ohm(0.0, beta)
        text = (
            f"Unplugged, in stirred ice water (0 °C), it must show {expected / 1e3:.1f} kΩ; "
            "at 25 °C 10 kΩ."
        )
        if self.ohm.value and self.ohm.value > 0:
            off = sensor_error_c(self.ohm.value, 0.0, beta)
            text += (
                f" At {self.ohm.value:g} Ω it would be read {abs(off):.1f} K too "
                f"{'warm' if off > 0 else 'cold'}"
                + (
                    ": it would let a frozen cell be charged. Another beta may be set."
                    if off > 1.5
                    else "."
                )
            )
        self._meter_says.setText(text)

    # doing

    @Slot(str, float)
    def _dragged(self, path: str, value: float) -> None:
        self._document.settings.change({path: value}, "Move the cold cutoff", merge=path)

    @Slot(object)
    def _entered(self, value: float | None) -> None:
        name = self.sender().property("name")
        if value is None:
            self._show()
            return
        path = (
            f"{PATH}.{name}"
            if self._document.setup.protection.charge_under_temperature
            else CHARGER[name]
        )
        self._document.settings.enter({path: value}, "Set the cold cutoff")

    @Slot(int)
    def _who_chosen(self, index: int) -> None:
        """The BMS, the charger or a relay by a sensor of its own, or nobody stops the charge."""
        who, setup = list(WHO)[index], self._document.setup
        usual = chemistry(setup.chemistry).usual
        changes: dict[str, object] = {
            PATH: None,
            "charging.cold_stop_c": None,
            "charging.cold_resume_c": None,
        }
        if who == "bms":
            changes[PATH] = {
                "trip_c": usual["charge_cold_trip_c"].value,
                "release_c": usual["charge_cold_release_c"].value,
            }
        elif who == "charger" and setup.charging is not None:
            changes |= plan(setup).stand_in
        if setup.charging is None:
            changes = {PATH: changes[PATH]}
        self._document.settings.enter(changes, "Who stops the charge in the cold")
        self._show()

    @Slot()
    def judge_readings(self) -> None:
        """Judge what was typed."""
        try:
            readings = parse_readings(self.readings.toPlainText())
        except RangeError as error:
            self._tell("none", str(error), None)
            return
        found = prove(*readings, self._document.setup.charge_cutoff)
        self._tell(STATUS[found.verdict], found.sentence, (self._document.bench.clock(), found))

    @Slot()
    def look_in_log(self) -> None:
        """Find a test in the shown pack's log."""
        record = self._document.record
        found = from_log(record.log, self._document.setup.charge_cutoff) if record else None
        if found is None:
            self._tell(
                "none",
                "No sensor came to the cutoff in this log while it was charging: nothing "
                "is proven by it.",
                None,
            )
            return
        at = datetime.fromtimestamp(found[0], self._zone)
        self._tell(STATUS[found[1].verdict], f"{at.day} {at:%b %Y}: {found[1].sentence}", found)

    def _tell(self, status: str, words: str, proof: tuple[float, Proof] | None) -> None:
        self._proof = proof
        self._mark.set_status(status)
        self._says.setText(words.replace(" -", " −"))
        self.keep.setVisible(proof is not None and proof[1].verdict == "proven")

    @Slot()
    def keep_proof(self) -> None:
        """Put the proof on the time line."""
        if self._proof is not None:
            when, found = self._proof
            self._document.history.keep_proof(when, found, self._document.pack.id)
            self._proof = None
            self.keep.hide()
