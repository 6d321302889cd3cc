"""The talk: a stand-in battery and a stand-in inverter on a line, what is heard on it, what the
inverter does, mistakes to be recognised, and the plug pulled on purpose.
"""

import time
from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import Qt, QTimer, Slot
from PySide6.QtGui import QHideEvent
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from nipper.app.document import Document
from nipper.app.jobs import Job
from nipper.app.stages.link.ownloss import OwnLoss
from nipper.app.theme import BASE_PT, Theme
from nipper.app.widgets.asking import ask_open, ask_save
from nipper.app.widgets.basic import SEMI, StatusMark, button, card, label
from nipper.app.widgets.row import Row
from nipper.app.widgets.units import UNITS
from nipper.core.errors import NipperError
from nipper.core.files import write_whole
from nipper.core.link.answer import USUAL_PROFILE
from nipper.core.link.capture import Bus, Heard, read_frames, to_candump
from nipper.core.link.codec import Frame
from nipper.core.link.quantities import BY_NAME
from nipper.core.link.record import loss_proof
from nipper.core.link.replay import Replay
from nipper.core.link.standin import Display, Mistake, Mode
from nipper.core.link.talk import SYMPTOMS, Loop, recognise
from nipper.core.quantities import with_minus

TICK_MS, SHOW_EVERY = 100, 5
BIG_PT = 30.0
MISTAKES = tuple(m for m in Mistake if m is not Mistake.UNPLUGGED)  # that one is a button
COLUMNS = ("frame", "means", "every", "age")
WHAT_FOR = (
    "A stand-in battery tells the last day of the log, a minute a second; a stand-in inverter "
    "listens with the settings of this bench. Try each mistake before you meet it."
)
STATUS = {Mode.CLOSED: "ok", Mode.FALLBACK: "watch", Mode.STOPPED: "act", Mode.WAITING: "none"}


class TalkPage(QWidget):
    """Starts, stops and shows a talk.

    More than twenty methods: live, played or run ahead, it is one talk, told at three places.
    """

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._theme = document, theme
        self._talk: Loop | None = None
        self._job: Job | None = None
        self._ahead_s, self._ticks = 0.0, 0
        self._kept: float | None = None  # when the plug was pulled of the proof that is kept
        self._timer = QTimer(self)
        self._timer.setInterval(TICK_MS)
        self._timer.timeout.connect(self._tick)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setSpacing(8)
        layout.addWidget(label(WHAT_FOR, "soft", wrap=True))
        layout.addLayout(self._controls())
        loss = QHBoxLayout()
        loss.addWidget(self._loss, 1)
        loss.addWidget(self.keep)
        layout.addLayout(loss)
        columns = QHBoxLayout()
        columns.setSpacing(12)
        columns.addWidget(self._bus_side(), 7)
        columns.addWidget(self._inverter_side(), 4)
        layout.addLayout(columns, 1)
        self.own = OwnLoss(document)
        layout.addWidget(self.own)

    def _controls(self) -> QHBoxLayout:
        self.start = button("Start", "main", "Both stand-ins begin to talk")
        self.start.clicked.connect(self.start_or_stop)
        self.mistake = QComboBox()
        self.mistake.setAccessibleName(UNITS.text("What is wrong"))
        self.mistake.setMaximumWidth(250)
        self.mistake.addItems(UNITS.texts([str(mistake) for mistake in MISTAKES]))
        self.mistake.activated.connect(self._mistake_chosen)
        self.plug = button("Pull the plug", "", "On purpose, and timed")
        self.plug.clicked.connect(self.pull_or_plug)
        self._loss = label("", weight=SEMI, wrap=True)
        self.keep = button("Keep as rehearsed", "", "Of the stand-ins, on the time line")
        self.keep.clicked.connect(self.keep_proof)
        self.write = button("Write it down …", "quiet", "What was heard, as a candump log")
        self.write.clicked.connect(self._write_heard)
        self.replay = button("Play a capture …", "quiet", "Of a real bus: candump, ASC or BLF")
        self.replay.clicked.connect(self._ask_capture)
        line = QHBoxLayout()
        line.addWidget(Row(self.start, label("wrong:", "soft"), self.mistake, self.plug), 1)
        line.addWidget(Row(self.replay, self.write))
        return line

    def _bus_side(self) -> QWidget:
        frame, inside = card()
        inside.addWidget(label("On the line", weight=SEMI))
        self.table = QTableWidget(0, len(COLUMNS))
        self.table.setAccessibleName(UNITS.text("messages of the bus"))
        self.table.setHorizontalHeaderLabels(UNITS.texts(list(COLUMNS)))
        self.table.verticalHeader().hide()
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setShowGrid(False)
        self.table.setWordWrap(True)
        self.table.setAccessibleName(UNITS.text("Messages on the line"))
        header = self.table.horizontalHeader()
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        inside.addWidget(self.table, 1)
        self._doubts = label("", "watch", wrap=True)
        inside.addWidget(self._doubts)
        self._load = label("", "soft", BASE_PT - 0.5)
        inside.addWidget(self._load)
        return frame

    def _inverter_side(self) -> QWidget:
        frame, inside = card()
        inside.addWidget(label("The inverter shows", weight=SEMI))
        self.big = label("–", size=BIG_PT, weight=SEMI)
        inside.addWidget(self.big)
        line = QHBoxLayout()
        self._mark, self.mode = StatusMark(self._theme), label("", weight=SEMI, wrap=True)
        line.addWidget(self._mark, 0, Qt.AlignmentFlag.AlignTop)
        line.addWidget(self.mode, 1)
        inside.addLayout(line)
        self.limits = label("", wrap=True, size=BASE_PT + 1)
        inside.addWidget(self.limits)
        inside.addWidget(label("What that speaks for", weight=SEMI))
        self.causes = label("", wrap=True)
        inside.addWidget(self.causes)
        inside.addStretch(1)
        return frame

    # doing

    def _now(self) -> float:
        return time.monotonic() + self._ahead_s

    @Slot()
    def start_or_stop(self) -> None:
        """Begin to talk, or end it."""
        if self._talk is not None:
            self.stop()
            return
        self._begin(None)

    def _begin(self, capture: list[Frame] | None) -> None:
        """Let both ends talk: the stand-in battery, or a capture in its place."""
        setup, record = self._document.bank, self._document.record
        link = setup.link
        try:
            name = (link.profile if link else None) or USUAL_PROFILE
            values = Replay(setup, record.log if record else None)
            from nipper.core.link.registertalk import begin_talk

            self._talk = begin_talk(setup, name, values, capture)
        except NipperError as error:
            self._doubts.setText(str(error))
            return
        self._talk.make_mistake(MISTAKES[self.mistake.currentIndex()])
        self._timer.start()
        self._show()

    @Slot()
    def _ask_capture(self) -> None:
        kinds = "Captures (*.log *.txt *.asc *.blf);;All files (*)"
        file = ask_open(self, "Play a capture", kinds)
        if file:
            self.play(Path(file))

    def play(self, capture: Path) -> None:
        """Play a capture of a bus to the stand-in inverter; read off the window's thread."""
        self.stop()
        self._job = Job(read_frames, capture)
        self._job.done.connect(self._play)
        self._job.failed.connect(self._doubts.setText)
        self._job.start()

    @Slot(object)
    def _play(self, frames: list[Frame]) -> None:
        if self.isVisible():
            self._begin(frames)

    def stop(self) -> None:
        """End the talk."""
        self._timer.stop()
        if self._talk is not None:
            self._talk.close()
            self._talk = None
        self._show()

    def hideEvent(self, event: QHideEvent) -> None:  # noqa: N802 - Qt's name
        """Nobody looks: the talk ends, and with it what it costs."""
        self.stop()
        super().hideEvent(event)

    def run_ahead(self, seconds: float) -> None:
        """Start, and let that much time go by at once."""
        if self._talk is None:
            self.start_or_stop()
        talk = self._talk
        if talk is None:
            return
        for _ in range(round(seconds * 1e3 / TICK_MS)):
            self._ahead_s += TICK_MS / 1e3
            talk.step(self._now())
        self._show()

    @Slot()
    def _tick(self) -> None:
        if self._talk is None:
            return
        self._talk.step(self._now())
        self._ticks += 1
        if self._ticks % SHOW_EVERY == 0:
            self._show()

    @Slot()
    def _mistake_chosen(self) -> None:
        if self._talk is not None:
            self._talk.make_mistake(MISTAKES[self.mistake.currentIndex()])
            self._show()

    @Slot()
    def pull_or_plug(self) -> None:
        """Pull the plug, or put it back."""
        if self._talk is None:
            return
        loss = self._talk.loss
        if loss is None or loss.plugged_s is not None:
            self._talk.pull(self._now())
        else:
            self._talk.plug_in(self._now())
        self._show()

    @Slot()
    def keep_proof(self) -> None:
        """Keep what happened when the plug was out."""
        loss = self._talk.loss if self._talk else None
        if loss is None or loss.reaction_s is None:
            return
        after, document = str(loss.after or ""), self._document
        proof = loss_proof(document.bank, loss.reaction_s, after, loss.back_s, stand_in=True)
        document.history.keep_loss(document.bench.clock(), proof)
        self._kept = loss.pulled_s
        self._show()

    @Slot()
    def _write_heard(self) -> None:
        file = ask_save(self, "Write what was heard", "heard.log", "candump logs (*.log)")
        if file:
            self.write_heard(Path(file))

    def write_heard(self, path: Path) -> None:
        """Write the frames that are kept as a candump log, with the time of day."""
        if self._talk is not None:
            shift = time.time() - self._now()
            frames = [replace(f, time_s=f.time_s + shift) for f in self._talk.frames]
            write_whole(path, to_candump(frames).encode())

    def heard_values(self) -> Mapping[str, float]:
        """What the battery tells now; empty while nothing talks."""
        return self._talk.bus(self._now()).values if self._talk else {}

    def inverter_values(self) -> Mapping[str, float]:
        """What the inverter shows now, as quantities."""
        if self._talk is None:
            return {}
        shown = self._talk.display(self._now())
        values = dict(shown.values)
        for name, value in (
            ("charge_voltage_limit_v", shown.charge_voltage_v),
            ("charge_current_limit_a", shown.charge_a),
            ("discharge_current_limit_a", shown.discharge_a),
        ):
            if value is not None and values:
                values[name] = value
        return values

    # showing

    @Slot()
    def refresh(self) -> None:
        """Show how it stands."""
        self._show()

    def _show(self) -> None:
        talk = self._talk
        self.start.setText("Start" if talk is None else "Stop")
        self.plug.setEnabled(talk is not None)
        self.write.setEnabled(talk is not None)
        self.keep.hide()
        if talk is None:
            self.table.setRowCount(0)
            self.big.setText("–")
            self._mark.set_status("none")
            self.mode.setText("not switched on")
            for words in (self.limits, self.causes, self._doubts, self._load, self._loss):
                words.setText("")
            self.plug.setText("Pull the plug")
            return
        now = self._now()
        bus, shown = talk.bus(now), talk.display(now)
        self._show_bus(bus, now)
        self._show_inverter(shown)
        found = recognise(talk, now) if shown.mode is not Mode.WAITING else []
        calm = "See what is told of the line." if bus.doubts else "Both ends agree."
        self.causes.setText(
            "\n\n".join(_sentence(SYMPTOMS[m]) for m in found) or calm
            if shown.mode is not Mode.WAITING
            else "It has just been switched on."
        )
        self._show_loss(talk, now)

    def _show_bus(self, bus: Bus, now: float) -> None:
        self.table.setRowCount(len(bus.heard))
        for row, one in enumerate(bus.heard):
            every = "" if one.period_ms is None else f"{one.period_ms:.0f} ms"
            raw = one.data.hex(" ").upper()
            frame = f"{one.id:X}  {one.message or 'unknown'}\n{raw[:11]}\n{raw[12:]}".rstrip()
            words = (frame, _means(one), every, f"{now - one.last_s:.1f} s")
            for column, text in enumerate(words):
                item = QTableWidgetItem(UNITS.text(with_minus(text)))
                item.setTextAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop)
                if column == 1:
                    item.setToolTip(UNITS.text(_hover(one)))
                self.table.setItem(row, column, item)
        self.table.resizeRowsToContents()
        self._doubts.setText("\n".join(_sentence(d) for d in bus.doubts[:4]))
        share = "" if bus.load_pct is None else f"{bus.load_pct:.2f} % of the line's time"
        errors = self._talk.wire.errors if self._talk else 0
        self._load.setText(f"{share}{'; ' if share else ''}{errors} frames spoilt")

    def _show_inverter(self, shown: Display) -> None:
        self.big.setText(shown.battery)
        self._mark.set_status(STATUS[shown.mode])
        silent = "" if shown.silent_s is None else f", last heard {shown.silent_s:.0f} s ago"
        self.mode.setText(_sentence(str(shown.mode)).rstrip(".") + silent)
        lines = [
            ("charges to", shown.charge_voltage_v, "V"),
            ("charge limit", shown.charge_a, "A"),
            ("discharge limit", shown.discharge_a, "A"),
        ]
        self.limits.setText(
            "\n".join(
                f"{name} {value:g} {unit}" for name, value, unit in lines if value is not None
            )
        )

    def _show_loss(self, talk: Loop, now: float) -> None:
        loss = talk.loss
        out = loss is not None and loss.plugged_s is None
        self.plug.setText("Plug in again" if out else "Pull the plug")
        if loss is None:
            self._loss.setText("")
            return
        if loss.reaction_s is None:
            text = f"out for {now - loss.pulled_s:.0f} s: no reaction yet"
        else:
            text = f"{loss.after} after {loss.reaction_s:.1f} s"
        if loss.back_s is not None:
            text += f", back {loss.back_s:.1f} s after plugging in"
        self._loss.setText(_sentence(text))
        self.keep.setVisible(loss.reaction_s is not None and self._kept != loss.pulled_s)


def _means(one: Heard) -> str:
    parts = [f"{BY_NAME[q].title} {v:g} {BY_NAME[q].unit}".strip() for q, v in one.values.items()]
    return ", ".join([*parts, *one.troubles])


def _hover(one: Heard) -> str:
    lines = [f"{BY_NAME[q].title}: {BY_NAME[q].says}" for q in one.values if BY_NAME[q].says]
    return "\n".join(lines)


def _sentence(text: str) -> str:
    return text[:1].upper() + text[1:] + ("" if text.endswith((".", "?")) else ".")
