"""A live watch: large numbers to be read from across a garage, the deviation as it goes, marks,
and the comparison after half an hour; a log when it is over. What the BMS kept is pulled here too.
"""

from collections.abc import Callable, Iterator
from dataclasses import replace
from datetime import tzinfo
from typing import TYPE_CHECKING

from PySide6.QtCore import Signal, Slot
from PySide6.QtGui import QHideEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from nipper.app.document import Document
from nipper.app.jobs import Job, Stream
from nipper.app.shell.deviceline import DeviceLine
from nipper.app.shell.watchplot import WatchPlot
from nipper.app.theme import Theme
from nipper.app.widgets.asking import ask_open
from nipper.app.widgets.basic import SEMI, StatusMark, button, label, page_head
from nipper.app.widgets.field import UnitField
from nipper.app.widgets.units import UNITS
from nipper.core.errors import InputError
from nipper.core.link import points
from nipper.core.link.replay import Replay
from nipper.core.report.consequence import count

if TYPE_CHECKING:
    from nipper.core.link.watch import Missed, Sample, Source, Watch
    from nipper.core.logs.looked import Looked
    from nipper.core.logs.model import Log

HUGE_PT, BIG_PT = 64.0, 30.0
EVERY_S = 5.0
OWN = "a file of your own …"
LEAD_S = 600.0  # before the absorption begins, in what the stand-in plays
WHAT_FOR = (
    "Reads the shown pack every few seconds. The stand-in plays its last full charge, a minute a "
    "second. Nothing is written to the BMS."
)
SIGN_TIP = (
    "This profile leaves open whether charging counts as positive: hold it against the BMS's own "
    "screen while it charges, before a watch is kept"
)
PULL_TIP = "Reads the log that the BMS itself has kept, into the record"
KEEP_TIP = "Into the record of the shown pack, as any other log, with the marks as events"


def watch_work(source: "Source", stopped: Callable[[], bool]) -> Iterator[object]:
    """Run in a thread of its own; the link's libraries are loaded there."""
    from nipper.core.link.watch import samples

    yield from samples(source, stopped)


def pull_work(
    source: "Source", log: "Log | None", tick: Callable[[float], None] = lambda _share: None
) -> "Log":
    """Run in a worker thread."""
    from nipper.core.link.watch import pull

    return pull(source, log, tick)


class WatchPage(QWidget):
    """``left`` when the user goes back, ``trouble`` with what went wrong.

    More than twenty methods: begin, row, failure and end of two streams (a watch, a log that is
    pulled), which exclude each other.
    """

    left = Signal()
    trouble = Signal(str)

    def __init__(
        self, document: Document, theme: Theme, zone: tzinfo, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setObjectName("page")
        self._document = document
        self.watch: Watch | None = None
        self._stream: Stream | None = None
        self._job: Job | None = None
        self._own: points.Registers | None = None
        self._played = False  # what is watched is the stand-in's, and no log of this pack
        self.keep = button("Keep as a log", "main", KEEP_TIP)
        self.pull = button("Pull its log", tip=PULL_TIP)
        self.keep.clicked.connect(self.keep_watch)
        self.pull.clicked.connect(self.pull_kept)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 14, 24, 16)
        layout.setSpacing(8)
        layout.addLayout(page_head("Watch live", self.left, self.pull, self.keep))
        layout.addWidget(label(WHAT_FOR, "soft", wrap=True))
        layout.addLayout(self._controls())
        layout.addLayout(self._state_line(theme))
        layout.addLayout(self._numbers())
        self.progress = label("", weight=SEMI, wrap=True)
        layout.addWidget(self.progress)
        layout.addLayout(self._marking())
        self.plot = WatchPlot(theme, zone)
        layout.addWidget(self.plot, 1)
        document.pack_changed.connect(self._other_pack)
        self._show()

    def _controls(self) -> QHBoxLayout:
        line = QHBoxLayout()
        self.link, self.profile = DeviceLine(), QComboBox()
        self.link.chosen.connect(self._show)
        self.profile.setAccessibleName(UNITS.text("what the registers mean"))
        for name in points.BUNDLED:
            self.profile.addItem(UNITS.text(points.load_registers(name).title), name)
        self.profile.addItem(UNITS.text(OWN), "")
        self.profile.setCurrentIndex(self.profile.findData("registers-simple"))
        self.profile.activated.connect(self._profile_chosen)
        self.every = UnitField("s", "a reading every", "not more often than the BMS renews them")
        self.every.set_bounds(1.0, 3600.0)
        self.every.set_value(EVERY_S)
        self.start = button("Start", "main")
        self.start.clicked.connect(self.start_or_stop)
        self.turned = QCheckBox(UNITS.text("current turned round"))
        self.turned.setToolTip(UNITS.text(SIGN_TIP))
        for widget in (
            self.link,
            self.profile,
            label("every"),
            self.every,
            self.start,
            self.turned,
        ):
            line.addWidget(widget)
        line.addStretch(1)
        return line

    def _state_line(self, theme: Theme) -> QHBoxLayout:
        line = QHBoxLayout()
        self._mark, self.state = StatusMark(theme), label("", "soft", wrap=True)
        line.addWidget(self._mark)
        line.addWidget(self.state, 1)
        return line

    def _numbers(self) -> QGridLayout:
        """The deviation huge, the others large beside it."""
        grid = QGridLayout()
        grid.setHorizontalSpacing(28)
        places = {
            "deviation": (0, 0, 4), "highest": (0, 1, 1), "lowest": (2, 1, 1),
            "pack": (0, 2, 1), "current": (2, 2, 1), "charge": (0, 3, 1), "absorption": (2, 3, 1),
        }  # fmt: skip
        self.numbers: dict[str, QLabel] = {}
        self._names: dict[str, QLabel] = {}
        for name, (row, column, rows) in places.items():
            size = HUGE_PT if name == "deviation" else BIG_PT
            self.numbers[name] = label("", size=size, weight=SEMI)
            self._names[name] = label("", "soft", wrap=False)
            grid.addWidget(self.numbers[name], row, column, max(1, rows - 1), 1)
            grid.addWidget(self._names[name], row + max(1, rows - 1), column)
        grid.setColumnStretch(0, 2)
        for column in (1, 2, 3):
            grid.setColumnStretch(column, 1)
        return grid

    def _marking(self) -> QHBoxLayout:
        line = QHBoxLayout()
        self.note = QLineEdit(
            placeholderText=UNITS.text("what was done: balancer on, charger to 55.2 V …")
        )
        self.note.setAccessibleName(UNITS.text("what was done"))
        self.note.setMaxLength(200)
        self.note.returnPressed.connect(self.mark)
        self.mark_it = button("Mark it", "", "At the moment of the newest reading")
        self.mark_it.clicked.connect(self.mark)
        line.addWidget(self.note, 1)
        line.addWidget(self.mark_it)
        return line

    # what is done

    @Slot()
    def refresh(self) -> None:
        """Show how it stands; a watch goes on while its page is looked at."""
        self._show()

    def hideEvent(self, event: QHideEvent) -> None:  # noqa: N802 - Qt's name
        """Nobody looks: the readings end, what was read stays."""
        self.stop()
        super().hideEvent(event)

    @Slot()
    def start_or_stop(self) -> None:
        """Begin a watch, or end it."""
        if self._stream is not None:
            self.stop()
            return
        from nipper.core.link.watch import Watch

        self.watch, self._played = Watch(self._document.setup), self.link.stand_in
        self._stream = Stream(watch_work, self._source())
        self._stream.gave.connect(self._gave)
        self._stream.failed.connect(self._failed)
        self._stream.ended.connect(self._ended)
        self._stream.start()
        self._say("none", "asking …")
        self._show()

    def stop(self) -> None:
        """End the readings."""
        if self._stream is not None:
            self._stream.cancel()
            self._stream = None
            self._say("none", "stopped")
            self._show()

    def run_ahead(self, minutes: float) -> None:
        """Let the stand-in's next minutes go by at once, a reading a minute."""
        from nipper.core.link.watch import Watch, played

        source = self._source()
        assert source.stand_in is not None
        self.watch, self._played = Watch(self._document.setup), True
        for sample in played(source.stand_in, self._document.bench.clock(), minutes):
            self.watch.add(sample)
        self._say("ok", count(len(self.watch.rows), "reading"))
        self._show()

    def _source(self) -> "Source":
        from nipper.core.link.watch import Source

        record = self._document.record
        log = record.log if record else None
        plays = None
        if self.link.stand_in:
            plays = Replay(self._document.setup, log, self._last_charge_s())
        every_s = self.every.value or EVERY_S
        profile = self._registers()
        place, device = self.link.place.text(), self.link.device.value()
        return Source(
            place, device, profile, every_s, plays, self._open_sign and self.turned.isChecked()
        )

    @property
    def _open_sign(self) -> bool:
        """Whether nobody but the user knows which way the current counts."""
        return not self.link.stand_in and self._registers().current_positive == "open"

    def _last_charge_s(self) -> float | None:
        """From where the stand-in plays: shortly before the last absorption begins."""
        record = self._document.record
        held = [c.absorption for c in record.diagnosis.estimate.charges if c.full] if record else []
        if record is None or not held or held[-1] is None:
            return None
        return float(record.log.time_s[held[-1][0]]) - LEAD_S

    def _registers(self) -> points.Registers:
        if self.profile.currentData() == "" and self._own is not None:
            return self._own
        return points.load_registers(str(self.profile.currentData()))

    @Slot()
    def _profile_chosen(self, *_: object) -> None:
        if self.profile.currentData() != "":
            self._show()
            return
        file = ask_open(self, "A profile of registers", "*.json")
        self.take_profile(file)

    def take_profile(self, file: str) -> None:
        """Use a profile of one's own; one that cannot be read changes nothing."""
        try:
            self._own = points.load_registers(file) if file else None
        except InputError as error:
            self.trouble.emit(str(error))
            self._own = None
        if self._own is None:
            self.profile.setCurrentIndex(self.profile.findData("registers-simple"))
        else:
            self.profile.setItemText(self.profile.count() - 1, self._own.title)
            self.profile.setCurrentIndex(self.profile.count() - 1)

    @Slot(object)
    def _gave(self, found: "Sample | Missed") -> None:
        from nipper.core.link.watch import Sample
        from nipper.core.report.danger import live_words

        if self.sender() is not self._stream or self.watch is None:
            return  # of a watch before
        trouble = self.watch.add(found) if isinstance(found, Sample) else found.why
        if trouble:
            self._say("watch", f"a reading was left out: {trouble}")
        elif alarm := live_words(self.watch.newest(), self.watch.setup, self._looked()):
            self._say("act", alarm)
        else:
            self._say("ok", count(len(self.watch.rows), "reading"))
        self._show()

    def _looked(self) -> "Looked":
        """Of what was measured in the pack only where its sensors lie: every reading is a new
        one.
        """
        from nipper.app.document.records import looked_at

        return replace(looked_at(self._document.bench, self._document.pack), cells=())

    @Slot(str)
    def _failed(self, text: str) -> None:
        self._say("act", text)

    @Slot()
    def _ended(self) -> None:
        if self.sender() is self._stream:
            self._stream = None
        self._show()

    @Slot()
    def mark(self) -> None:
        """Note what was done, at the newest reading."""
        if self.watch is not None and self.note.text().strip():
            self.watch.mark(self.note.text())
            self.note.clear()
            self._show()

    @Slot()
    def _other_pack(self, *_: object) -> None:
        self.stop()
        if self._job is not None:  # it would come into the record of another pack
            self._job.cancel()
        self.watch = None
        self._show()

    @Slot()
    def keep_watch(self) -> None:
        """Make it a log of the shown pack, and its marks events."""
        watch, document = self.watch, self._document
        log = watch.log() if watch else None
        if watch is None or log is None or self._played:
            return
        self.stop()
        pack = document.pack.id
        added = document.bench.logs.add(pack, log, "watched live")
        for mark in watch.marks:
            document.history.add_event(mark.time_s, "note", mark.note, pack)
        self._say(
            "ok", f"in the record: {count(added, 'reading')}, {count(len(watch.marks), 'mark')}"
        )
        self.watch = None
        document.records.read(document.pack)
        self._show()

    @Slot()
    def pull_kept(self) -> None:
        """Read the log that the BMS keeps, off the window's thread."""
        if self._job is not None:
            self._job.cancel()
            return
        record = self._document.record
        self._job = Job(pull_work, self._source(), record.log if record else None, ticks=True)
        self._job.progressed.connect(self._pulling)
        self._job.done.connect(self._pulled)
        self._job.failed.connect(self._failed)
        self._job.ended.connect(self._pull_ended)
        self._job.start()
        self._show()

    @Slot(float)
    def _pulling(self, share: float) -> None:
        self._say("none", f"pulling its log: {share:.0%}")

    @Slot(object)
    def _pulled(self, log: "Log") -> None:
        document = self._document
        if log.cells != document.setup.cells:
            has = f"{log.cells} cells are in that log, this pack has {document.setup.cells}"
            self._say("act", f"{has}: is it another pack's address?")
            return
        added = document.bench.logs.add(document.pack.id, log, "pulled from the BMS")
        new = f"{added} of them new" if added else "all of them in the bench already"
        self._say("ok", f"{log.rows} rows pulled, {new}")
        if added:
            document.records.read(document.pack)

    @Slot()
    def _pull_ended(self) -> None:
        self._job = None
        self._show()

    # showing

    def _say(self, status: str, text: str) -> None:
        self._mark.set_status(status)
        self.state.setText(text[:1].upper() + text[1:])

    @Slot()
    def _show(self) -> None:
        from nipper.core.report.watch import ONLY_ENDS, large, names, progress

        now = self.watch.now if self.watch else None
        told, under = large(now), names(now, self._document.setup.cells)
        for name, line in self.numbers.items():
            line.setText(told[name])
            self._names[name].setText(under[name])
        cells = self.watch is not None and self.watch.has_cells
        self.turned.setVisible(self._open_sign)
        self.turned.setEnabled(self._stream is None)
        self.start.setText("Start" if self._stream is None else "Stop")
        self.keep.setEnabled(cells and not self._played)
        self.mark_it.setEnabled(now is not None)
        self.pull.setText("Pull its log" if self._job is None else "Stop pulling")
        words = progress(self.watch) if self.watch else ""
        self.progress.setText(f"{words} {ONLY_ENDS}" if now and not cells else words)
        self.plot.show_watch(self.watch)
