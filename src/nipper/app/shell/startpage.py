"""The first page: a new bench from five answers, from a log, or one that is there already."""

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal, Slot
from PySide6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from nipper.app.theme import BASE_PT
from nipper.app.widgets.basic import SEMI, button, card, clear, label
from nipper.app.widgets.field import UnitField
from nipper.app.widgets.units import UNITS
from nipper.core.chemistry import CHEMISTRIES
from nipper.core.presets import new_setup
from nipper.core.setup import Setup

if TYPE_CHECKING:
    from nipper.core.logs.model import Log

BALANCERS = (
    ("passive", "passive: bleeds high cells"),
    ("active", "active: moves charge from high to low"),
    ("none", "none"),
)


class StartPage(QWidget):
    """``made`` carries the new setup; ``wanted`` a bench file to open."""

    made = Signal(object)
    wanted = Signal(str)
    open_asked = Signal()
    log_asked = Signal()
    demo_asked = Signal()
    tour_asked = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("page")
        self._told = label("", "act", wrap=True)
        self._recent = QVBoxLayout()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(40, 34, 40, 30)
        layout.setSpacing(14)
        self._headline = label("A bench for your pack", size=20, weight=SEMI)
        self._intro = label(
            "Five answers make a sound first setup. Hold it against the sheets of your "
            "cell and BMS: they override every number here.",
            "soft",
            BASE_PT + 1,
            wrap=True,
        )
        layout.addWidget(self._headline)
        layout.addWidget(self._intro)
        layout.addWidget(self._told)
        columns = QHBoxLayout()
        columns.setSpacing(18)
        columns.addWidget(self._new(), 3)
        columns.addWidget(self._other(), 2)
        layout.addLayout(columns)
        layout.addWidget(
            label(
                "A bank feeds thousands of amperes into a short: fuse first, insulated "
                "tools, no rings, eye protection, disconnect before "
                "touching. Mains and fixed installations: local code and a licensed electrician.",
                "soft",
                wrap=True,
            )
        )
        layout.addStretch(1)

    def _new(self) -> QWidget:
        frame, inside = card(18, 10)
        inside.addWidget(label("New bench", size=13, weight=SEMI))
        grid = QGridLayout()
        grid.setVerticalSpacing(8)
        grid.setHorizontalSpacing(12)
        self.name = QLineEdit(UNITS.text("My pack"))
        self.name.setMaxLength(200)
        self.chemistry, self.balancer = QComboBox(), QComboBox()
        for chem in CHEMISTRIES.values():
            self.chemistry.addItem(UNITS.text(chem.title), chem.id)
        for id_, title in BALANCERS:
            self.balancer.addItem(UNITS.text(title), id_)
        self.cells, self.packs = (
            QSpinBox(minimum=1, maximum=200, value=16),
            QSpinBox(minimum=1, maximum=64, value=1),
        )
        self.capacity = UnitField("Ah", "Capacity of one pack", "of the pack, not of the bank")
        self.capacity.set_bounds(1.0, 20_000.0)
        self.capacity.set_value(280.0)
        self.capacity.setAlignment(Qt.AlignmentFlag.AlignLeft)
        for field in (
            self.name,
            self.chemistry,
            self.cells,
            self.capacity,
            self.packs,
            self.balancer,
        ):
            field.setMinimumWidth(180)
            field.setMaximumWidth(280)
        rows = (
            ("Name", self.name),
            ("Chemistry", self.chemistry),
            ("Cells in series", self.cells),
            ("Capacity of one pack", self.capacity),
            ("Packs in parallel", self.packs),
            ("Balancer", self.balancer),
        )
        for row, (title, field) in enumerate(rows):
            text = label(title)
            text.setBuddy(field)
            field.setAccessibleName(UNITS.text(title))
            grid.addWidget(text, row, 0)
            grid.addWidget(field, row, 1)
        grid.setColumnStretch(2, 1)
        inside.addLayout(grid)
        self.make = button("Make the bench", "main")
        self.make.clicked.connect(self._make)
        inside.addWidget(self.make, 0, Qt.AlignmentFlag.AlignLeft)
        return frame

    def _other(self) -> QWidget:
        side = QWidget()
        column = QVBoxLayout(side)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(14)
        frame, inside = card(18, 8)
        inside.addWidget(label("Or begin with a log", size=13, weight=SEMI))
        inside.addWidget(
            label(
                "Drop a CSV or spreadsheet from the BMS on this window. Only what it "
                "cannot tell is asked.",
                "soft",
                wrap=True,
            )
        )
        log = button("Open a log …", tip="Nearly any table: CSV, spreadsheet, JSON, SQLite, zip")
        log.clicked.connect(self.log_asked)
        inside.addWidget(log, 0, Qt.AlignmentFlag.AlignLeft)
        column.addWidget(frame)
        frame, inside = card(18, 8)
        inside.addWidget(label("Open a bench", size=13, weight=SEMI))
        inside.addLayout(self._recent)
        other = button("Open a file …", tip="A bench, a setup or a log")
        other.clicked.connect(self.open_asked)
        demo = button(
            "Open the demo", "quiet", "A made-up workshop with two packs and three months of logs"
        )
        demo.clicked.connect(self.demo_asked)
        line = QHBoxLayout()
        line.addWidget(other)
        tour = button("Take the tour", "quiet", "Ten stops in the demo, a few minutes")
        tour.clicked.connect(self.tour_asked)
        line.addWidget(demo)
        line.addWidget(tour)
        line.addStretch(1)
        inside.addLayout(line)
        column.addWidget(frame)
        column.addStretch(1)
        return side

    def show_recent(self, files: list[str]) -> None:
        """Offer the benches opened last."""
        clear(self._recent)
        for file in files[:6]:
            entry = button(Path(file).stem, "bare", file)
            entry.setProperty("file", file)
            entry.clicked.connect(self._open_recent)
            self._recent.addWidget(entry, 0, Qt.AlignmentFlag.AlignLeft)

    @Slot()
    def _open_recent(self) -> None:
        self.wanted.emit(self.sender().property("file"))

    def tell(self, text: str) -> None:
        """Say what went wrong."""
        self._told.setText(text)

    def start_from_log(self, file: str, log: "Log") -> None:
        """Fill in what a log tells, say from what, and ask for the rest."""
        from nipper.core.logs.guess import guess_capacity, guess_chemistry

        chemistry = guess_chemistry(log)
        capacity = guess_capacity(log, chemistry)
        self._headline.setText(f"A bench from {Path(file).name}")
        looks = f" and looks like {CHEMISTRIES[chemistry].title}" if chemistry else ""
        holds = (
            f" It seems to hold {capacity[0]:.3g} Ah ({capacity[1]}): check that."
            if capacity
            else ""
        )
        self._intro.setText(
            f"The log has {log.cells} cells{looks}.{holds} The rest it cannot tell."
        )
        self.name.setText(Path(file).name.split(".")[0].replace("_", " "))
        self.cells.setValue(log.cells)
        if capacity:
            self.capacity.set_value(float(f"{capacity[0]:.3g}"))
        self.cells.setEnabled(False)
        if chemistry is not None:
            self.chemistry.setCurrentIndex(self.chemistry.findData(chemistry))
        self.capacity.setFocus()
        self.capacity.selectAll()

    def start_plain(self) -> None:
        """Back to the five answers."""
        self._headline.setText("A bench for your pack")
        self.cells.setEnabled(True)

    @Slot()
    def _make(self) -> None:
        self.capacity.clearFocus()
        if self.capacity.trouble or not self.capacity.value or self.capacity.value <= 0:
            self.tell("Capacity: expected ampere-hours above 0, such as 280 Ah.")
            return
        self.tell("")
        self.made.emit(self.setup())

    def setup(self) -> Setup:
        """The setup of the answers."""
        assert self.capacity.value
        return new_setup(
            self.chemistry.currentData(),
            self.cells.value(),
            self.capacity.value,
            self.packs.value(),
            self.balancer.currentData(),
            self.name.text().strip() or UNITS.text("My pack"),
        )
