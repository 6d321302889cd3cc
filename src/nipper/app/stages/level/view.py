"""Level: whether the balancer catches up, what its start voltage is worth, the schools for this
bank, and levelling by hand.
"""

from itertools import pairwise

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import Qt, Slot
from PySide6.QtGui import QFont, QFontMetrics
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from nipper.app.document import Document
from nipper.app.forecasts import Forecasts
from nipper.app.stage import StageView
from nipper.app.theme import BASE_PT, Theme, font
from nipper.app.widgets.basic import SEMI, button, card, label, refilled, scrolled
from nipper.app.widgets.plot import Plot
from nipper.app.widgets.units import UNITS
from nipper.core.chemistry import chemistry
from nipper.core.forecast.levelling import Course, Levelling, from_log, slope_along
from nipper.core.forecast.schools import School
from nipper.core.report.levelling import charge, hand_sentences, hours_sentences, level_headline

AXIS_PX = 44  # what the axis at the left takes
HEADING_PX, NAME_PX = 72, 110  # of columns


class LevelView(StageView):
    """The stage Level."""

    def __init__(
        self, document: Document, forecasts: Forecasts, theme: Theme, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setObjectName("page")
        self._document, self._forecasts, self._theme = document, forecasts, theme
        self._picked = ""  # the school shown in copper
        self._title, self._subtitle = (
            label("", size=16, weight=SEMI, wrap=True),
            label("", "soft", wrap=True),
        )
        self.weeks, self.slope = (
            Plot(theme, unit="Ah apart"),
            Plot(theme, unit="mV per % of charge"),
        )
        self._start: pg.InfiniteLine | None = None
        self._schools, self._hours, self._hand = QGridLayout(), QVBoxLayout(), QVBoxLayout()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 14, 18, 12)
        layout.setSpacing(6)
        layout.addWidget(self._title)
        layout.addWidget(self._subtitle)
        layout.addWidget(self._body(), 1)
        changes = document.settings.changed, document.records.changed, document.pack_changed
        self.follow(self._show, forecasts.levelling.came, *changes, theme.changed)
        self._show()
        forecasts.levelling.want()

    def _body(self) -> QWidget:
        inside = QVBoxLayout()
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(8)
        charts = QHBoxLayout()
        charts.setSpacing(14)
        for plot, title, stretch, tip in (
            (
                self.weeks,
                "Charge between the fullest and the emptiest cell",
                5,
                "Over the coming weeks: each line is a run of the simulator on a copy of this bank",
            ),
            (
                self.slope,
                "What a millivolt is worth",
                4,
                "Pull the copper line: the start voltage moves with it",
            ),
        ):
            side = QVBoxLayout()
            side.setSpacing(0)
            head = label(title, weight=SEMI, wrap=True)
            head.setToolTip(UNITS.text(tip))
            side.addWidget(head)
            side.addWidget(plot, 1)
            plot.setMinimumHeight(180)
            plot.setMaximumHeight(250)
            charts.addLayout(side, stretch)
        inside.addLayout(charts, 1)
        self._schools.setHorizontalSpacing(10)
        self._schools.setVerticalSpacing(4)
        frame, table = card(12, 4)
        table.addWidget(label("The schools, each run on this bank under the same sky", weight=SEMI))
        table.addLayout(self._schools)
        inside.addWidget(frame)
        below = QHBoxLayout()
        below.setSpacing(10)
        for title, column in (
            ("Hours and ampere-hours, from the log", self._hours),
            ("Level by hand", self._hand),
        ):
            frame, box = card(12, 4)
            box.addWidget(label(title, weight=SEMI))
            column.setSpacing(4)
            box.addLayout(column)
            box.addStretch(1)
            below.addWidget(frame, 1)
        inside.addLayout(below)
        return scrolled(inside)

    @Slot()
    def _show(self) -> None:
        forecast = self._forecasts.levelling.value
        setup = self._document.setup
        title, subtitle = level_headline(setup, forecast)
        self._title.setText(title)
        self._subtitle.setText(subtitle)
        self._draw_slope()
        known = self._forecasts.known.get(self._forecasts.pack_number)
        self._fill(self._hours, hours_sentences(setup, from_log(setup, known), known is not None))
        record = self._document.record
        sentences, feeds = hand_sentences(setup, known, record.diagnosis if record else None)
        self._fill(self._hand, sentences, caution=feeds)
        if forecast is not None:
            self._draw_weeks(forecast)
            self._fill_schools(forecast)

    def _fill(self, column: QVBoxLayout, sentences: list[str], caution: bool = False) -> None:
        with refilled(column):
            for i, sentence in enumerate(sentences):
                last = caution and i == len(sentences) - 1
                column.addWidget(
                    label(
                        sentence,
                        "act" if last else "",
                        wrap=True,
                        size=BASE_PT - 0.5 if last else BASE_PT,
                    )
                )

    def _draw_weeks(self, forecast: Levelling) -> None:
        plot = self.weeks
        plot.clear()
        now = forecast.courses[0]
        last = float(now.week[-1])
        top = max(float(c.apart_ah.max()) for c in forecast.courses)
        ends: list[tuple[float, str, str]] = []
        for course in forecast.courses:
            name = course.school.title if course.school else "as set"
            if course.school is None:
                role = "ink"
            elif course.school.id == self._picked:
                role = "copper"
            else:
                role = "herd"
            plot.line(course.week, course.apart_ah, role, 2.4 if role != "herd" else 1.5)
            ends.append(
                (
                    float(course.apart_ah[-1]),
                    name,
                    role if role in ("ink", "copper") else "soft",
                )
            )
        for at, (_, name, role) in spread_apart(ends, 0.085 * top):
            plot.note(last * 1.01, at, name, role, bold=role != "soft", size=BASE_PT - 0.5)
        measure = QFontMetrics(font(BASE_PT - 0.5, SEMI)).horizontalAdvance
        names_px = max(measure(UNITS.text(name)) for _, name, _ in ends)
        room = min(0.6, (names_px + 8) / max(200, plot.width() - AXIS_PX))
        plot.item.setXRange(0.0, last * max(1.5, 1.0 / (1.0 - room)), padding=0.01)
        plot.item.setYRange(0.0, top * 1.12, padding=0.02)
        weeks = ((w, "now" if w == 0 else f"{w:g} wk") for w in np.arange(0.0, last + 0.1, 3.0))
        plot.item.getAxis("bottom").setTicks([[(w, UNITS.text(words)) for w, words in weeks]])

    def _draw_slope(self) -> None:
        setup, plot = self._document.setup, self.slope
        plot.clear()
        volts, slope = slope_along(setup)
        plot.line(volts, slope, "soft", 1.8)
        chem = chemistry(setup.chemistry)
        if setup.charging:
            mean_v = setup.charging.absorption_v / setup.cells
            plot.mark(mean_v, "soft")
            plot.note(
                mean_v,
                0.0,
                f"absorption\n{mean_v:.2f} V",
                "soft",
                anchor=(1.05, 1) if mean_v > chem.max_v - 0.1 else (-0.05, 1),
                bold=False,
                size=BASE_PT - 1,
            )
        plot.item.setLabel("bottom", UNITS.text("cell at rest, V"))
        plot.item.setXRange(float(volts[0]), chem.max_v, padding=0.02)
        plot.item.setYRange(0.0, float(np.percentile(slope, 97)), padding=0.03)
        self._start = None
        leveller = setup.leveller
        if leveller is None:
            return
        start_v = leveller.start_v
        here = float(chem.curve.slope_at_voltage(start_v))
        line = pg.InfiniteLine(
            start_v,
            angle=90,
            movable=True,
            pen=pg.mkPen(self._theme.colour("copper"), width=2),
            bounds=(float(volts[0]), chem.max_v),
        )
        line.sigPositionChangeFinished.connect(self._start_moved)
        plot.addItem(line)
        self._start = line
        worth = (
            f"from {start_v:.2f} V\n{leveller.delta_mv:g} mV "
            f"are\n{leveller.delta_mv / max(here, 1e-3):.2g} % of charge"
        )
        right = start_v > float(volts[0]) + 0.4 * (chem.max_v - float(volts[0]))
        plot.note(
            start_v,
            float(np.percentile(slope, 97)) * 0.75,
            worth,
            "copper",
            anchor=(1.05, 0.5) if right else (-0.05, 0.5),
            size=BASE_PT - 0.5,
        )

    @Slot(object)
    def _start_moved(self, line: pg.InfiniteLine) -> None:
        place = self._document.setup.leveller_path
        self._document.settings.change(
            {f"{place}.start_v": round(float(line.getXPos()), 2)}, "Move the balancer's start"
        )
        self._document.settings.settle()

    def _fill_schools(self, forecast: Levelling) -> None:
        grid = self._schools
        with refilled(grid):
            for column, heading in enumerate(
                ("", "apart then", "moves a week, all cells", "trips", "high voltage", "full days"),
                0,
            ):
                head = label(heading, "soft", BASE_PT - 1, wrap=True)
                head.setAlignment(Qt.AlignmentFlag.AlignRight)
                grid.addWidget(head, 0, column, Qt.AlignmentFlag.AlignBottom)
                grid.setColumnMinimumWidth(column, _wide_px(head))
            for i, course in enumerate(forecast.courses):
                self._school_row(1 + 2 * i, course)
            grid.setColumnMinimumWidth(0, NAME_PX)
            grid.setColumnStretch(0, 1)

    def _school_row(self, row: int, course: Course) -> None:
        grid, school, result = self._schools, course.school, course.outcome
        plain = QFont.Weight.Normal
        cells = (
            "As set now" if school is None else school.title,
            charge(float(course.apart_ah[-1])),
            f"{course.moved_ah_per_week:.2f} Ah",
            str(result.trips),
            f"{result.high_voltage_h:.0f} h",
            f"{result.full_days}",
        )
        for column, text in enumerate(cells):
            role = "act" if column == 3 and result.trips else ""
            words = label(text, role, weight=SEMI if column < 2 else plain, wrap=not column)
            words.setAlignment(
                Qt.AlignmentFlag.AlignRight if column else Qt.AlignmentFlag.AlignLeft
            )
            grid.addWidget(words, row, column)
        if school is not None:
            grid.addWidget(label(school.text, "soft", BASE_PT - 1, wrap=True), row + 1, 0, 1, 6)
            self._school_buttons(row, school)

    def _school_buttons(self, row: int, school: School) -> None:
        changes = f"{school.title}: changes {', '.join(school.changes)}; can be undone"
        take, show = button("Take", tip=changes), button("show", "bare", "Draws its line in copper")
        for column, (one, does) in enumerate(((show, self._pick), (take, self._take)), 6):
            one.setProperty("school", school.id)
            one.clicked.connect(does)
            self._schools.addWidget(one, row, column, 2, 1, Qt.AlignmentFlag.AlignVCenter)

    @Slot()
    def _pick(self) -> None:
        self.pick(self.sender().property("school"))

    def pick(self, school: str) -> None:
        """Draw a school's line in copper."""
        self._picked = "" if self._picked == school else school
        if self._forecasts.levelling.value is not None:
            self._draw_weeks(self._forecasts.levelling.value)

    @Slot()
    def _take(self) -> None:
        wanted = self.sender().property("school")
        forecast = self._forecasts.levelling.value
        course = (
            next((c for c in forecast.courses if c.school and c.school.id == wanted), None)
            if forecast
            else None
        )
        if (
            course is not None
            and course.school is not None
            and self._document.settings.change(dict(course.school.changes), course.school.title)
        ):
            self._document.settings.settle()


def spread_apart(
    ends: list[tuple[float, str, str]], gap: float
) -> list[tuple[float, tuple[float, str, str]]]:
    """Places for names at line ends, at least a gap apart, as near to their lines as that allows;
    none below zero.
    """
    places: list[list[float]] = []
    ordered = sorted(ends)
    for value, _, _ in ordered:
        places.append([value, value])
    for _ in range(50):
        for low, high in pairwise(places):
            short = gap - (high[1] - low[1])
            if short > 1e-9:
                low[1], high[1] = low[1] - 0.5 * short, high[1] + 0.5 * short
        places[0][1] = max(places[0][1], 0.25 * gap)
    return [(place[1], end) for place, end in zip(places, ordered, strict=True)]


def _wide_px(heading: QLabel) -> int:
    """As wide as a column's heading must be: on two lines where its words are long."""
    px, text = heading.fontMetrics().horizontalAdvance, heading.text()
    return min(px(text), max([HEADING_PX, *(px(word) for word in text.split())])) + 2
