"""The time-lapse: lanes of sun and loads, pack, cells, and who limits, with a playhead over all of
them.
"""

from collections.abc import Callable
from itertools import pairwise
from typing import TYPE_CHECKING, Any

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from PySide6.QtCore import Qt, QTimer, Signal, Slot
from PySide6.QtGui import QBrush, QColor
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QWidget

from nipper.app.theme import BASE_PT, Theme
from nipper.app.widgets.basic import SEMI, label, refilled
from nipper.app.widgets.catchup import CatchesUp
from nipper.app.widgets.plot import Plot
from nipper.app.widgets.units import UNITS
from nipper.core.forecast.outcome import Span
from nipper.core.forecast.rehearsal import lanes_of
from nipper.core.setup import Setup

if TYPE_CHECKING:  # loads the compiler: not in the window's thread
    from nipper.core.simulate.trial import Trial

LANES = (("Sun, loads", "A", 3), ("Pack", "V", 2), ("Cells", "V", 5), ("Who limits", "", 3))
KIND_ROLE = {
    "sun": "herd",
    "charger": "soft",
    "absorption": "ok",
    "float": "ok",
    "BMS": "act",
    "the BMS's request": "watch",
    "inverter": "watch",
    "cold": "lowest",
    "balance": "copper",
}
KIND_WORD = {
    "absorption": "full, held at absorption",
    "balance": "balancing",
    "sun": "sun is the limit",
}
AT_ONCE = 2  # lanes of which the page is made; the others follow in a turn of their own
LANE_Y = {"limit": 2.0, "balance": 1.0, "trip": 0.0}
LANE_WORDS = {"limit": "charge", "balance": "balancer", "trip": "trips"}
CELL_PT = 9.5
BY_DAY = 40.0  # days; longer runs are drawn day by day
NO_PEN = pg.mkPen(None)
HIGH = 1e5  # beyond any axis


class Lanes(CatchesUp):
    """Draws a trial; ``scrubbed`` carries the hour the user pulled the playhead to."""

    scrubbed = Signal(float)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self.setAccessibleName(UNITS.text("the days, run on a copy of the bank"))
        self._trial: Trial | None = None
        self._other: Trial | None = None
        self._pack = 1
        self.hour = 0.0
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(2)
        self._grid = grid
        self._made: list[Plot] = []
        self._heads: list[pg.InfiniteLine] = []
        self._covers: list[pg.LinearRegionItem] = []
        self._make_lanes(AT_ONCE)
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.timeout.connect(self._make_lanes)
        self._later.start(0)
        self._legend = QHBoxLayout()
        self._legend.setSpacing(14)
        grid.addLayout(self._legend, len(LANES), 1)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.follow(self._redraw, theme.changed)

    @property
    def plots(self) -> list[Plot]:
        """The lanes, from above."""
        self._make_lanes()
        return self._made

    @Slot()
    def _make_lanes(self, most: int = len(LANES)) -> None:
        """Those that are not there yet: all at once would hold the window up."""
        for row in range(len(self._made), most):
            self._made.append(self._lane(row))

    def _lane(self, row: int) -> Plot:
        title, unit, stretch = LANES[row]
        side = QWidget()
        inside = QGridLayout(side)
        inside.setContentsMargins(0, 2, 0, 0)
        inside.setSpacing(0)
        inside.addWidget(label(title, weight=SEMI, size=BASE_PT - 0.5, wrap=True), 0, 0)
        inside.addWidget(label(unit, "soft", BASE_PT - 1), 1, 0)
        inside.setRowStretch(2, 1)
        side.setFixedWidth(52)
        last = row == len(LANES) - 1
        plot = Plot(self._theme, run_axis=True)
        plot.setAccessibleName(UNITS.text(title))
        plot.item.getAxis("bottom").setStyle(showValues=last)
        plot.item.getAxis("left").setWidth(52)
        plot.item.setMouseEnabled(x=True, y=False)
        plot.item.getAxis("bottom").setHeight(None if last else 4)
        plot.setMinimumHeight(34 * stretch // 2)
        if self._made:
            plot.item.setXLink(self._made[0].item)
        self._grid.addWidget(side, row, 0)
        self._grid.addWidget(plot, row, 1)
        self._grid.setRowStretch(row, stretch)
        if last:
            ticks = [(LANE_Y[name], UNITS.text(words)) for name, words in LANE_WORDS.items()]
            plot.item.getAxis("left").setTicks([ticks])
            plot.item.showGrid(x=False, y=False)
        return plot

    def show_trial(self, trial: "Trial", pack: int, other: "Trial | None" = None) -> None:
        """Draw a run as one pack saw it, and another under it, dashed."""
        self._trial, self._pack, self._other = trial, min(pack, len(trial.logs)), other
        self._redraw()

    @property
    def hours(self) -> tuple[float, float]:
        """First and last hour shown, from midnight of the first day."""
        if self._trial is None:
            return 0.0, 0.0
        hours = self._hours(self._trial)
        return float(hours[0]), float(hours[-1])

    def _hours(self, trial: "Trial") -> NDArray[np.floating]:
        return (trial.logs[0].time_s - _midnight(trial)) / 3600.0

    def _redraw(self) -> None:
        trial = self._trial
        for plot in self.plots:
            plot.clear()
        self._heads, self._covers = [], []
        if trial is None:
            return
        hours = self._hours(trial)
        log = trial.logs[self._pack - 1]
        self._nights(trial, hours)
        sun, pack, cells, who = self.plots
        if trial.scenario.days > BY_DAY:
            self._draw_by_day(trial)
        else:
            sun.line(hours, trial.bus_a[:, 0], "watch", 1.2, dashed=True, alpha=150)
            sun.line(hours, trial.bus_a[:, 1], "copper", 1.6)
            sun.line(hours, -trial.bus_a[:, 2], "soft", 1.0)
            pack.line(hours, log.pack_v, "ink", 1.6)
            self._draw_cells(cells, trial, hours)
        self._limits(cells, trial.setup)
        self._draw_spans(
            who, lanes_of(trial, self._pack), _midnight(trial), float(hours[-1] - hours[0])
        )
        first, last = self.hours
        for plot in self.plots:
            plot.item.setXRange(first, last, padding=0.005)
            cover = pg.LinearRegionItem(
                (last, last), movable=False, pen=NO_PEN, brush=self._cover_brush()
            )
            cover.setZValue(40)
            plot.addItem(cover)
            self._covers.append(cover)
            head = pg.InfiniteLine(
                last, angle=90, movable=True, pen=pg.mkPen(self._theme.colour("copper"), width=1.6)
            )
            head.setZValue(50)
            head.sigDragged.connect(self._dragged)
            plot.addItem(head)
            self._heads.append(head)
        self.set_hour(min(max(self.hour, first), last) if self.hour else last)

    def _cover_brush(self) -> QBrush:
        colour = self._theme.colour("paper")
        colour.setAlpha(225)
        return QBrush(colour)

    def _nights(self, trial: "Trial", hours: NDArray[np.floating]) -> None:
        if trial.scenario.days > 8:
            return
        dark = trial.bus_a[:, 0] <= 0
        edges = np.flatnonzero(np.diff(dark.astype(int), prepend=0, append=0))
        shade = self._theme.colour("grid")
        shade.setAlpha(110)
        begin, end = hours[edges[::2]], hours[np.minimum(edges[1::2], hours.size - 1)]
        for plot in self.plots:
            night = _bars(begin, end, (-HIGH, 2.0 * HIGH), shade)
            night.setZValue(-20)
            plot.item.addItem(night, ignoreBounds=True)

    def _draw_cells(self, plot: Plot, trial: "Trial", hours: NDArray[np.floating]) -> None:
        log = trial.logs[self._pack - 1]
        high, low = strays(trial, self._pack)
        plot.line(hours, np.delete(log.cell_v, [high, low], axis=1), "herd")
        if self._other is not None and self._other.logs[0].rows == hours.size:
            beside = self._other.logs[min(self._pack, len(self._other.logs)) - 1]
            plot.line(hours, beside.cell_v.max(axis=1), "copper", 1.3, dashed=True)
        plot.line(hours, log.cell_v[:, low], "lowest", 1.8)
        plot.line(hours, log.cell_v[:, high], "highest", 1.8)

    def _draw_by_day(self, trial: "Trial") -> None:
        """A long run as the means, highest and lowest values of its days: every row would only
        paint a solid block.
        """
        sun, pack, cells, _ = self.plots
        log = trial.logs[self._pack - 1]
        noon = of_days(trial, self._hours(trial), np.mean)
        sun.line(
            noon, of_days(trial, trial.bus_a[:, 0], np.mean), "watch", 1.2, dashed=True, alpha=150
        )
        sun.line(noon, of_days(trial, trial.bus_a[:, 1], np.mean), "copper", 1.6)
        sun.line(noon, -of_days(trial, trial.bus_a[:, 2], np.mean), "soft", 1.0)
        for choose in (np.max, np.min):
            pack.line(noon, of_days(trial, log.pack_v, choose), "ink", 1.4)
        cells.line(noon, of_days(trial, np.median(log.cell_v, axis=1), np.max), "herd", 1.2)
        cells.line(noon, of_days(trial, np.median(log.cell_v, axis=1), np.min), "herd", 1.2)
        if self._other is not None and self._other.logs[0].rows == log.rows:
            beside = self._other.logs[min(self._pack, len(self._other.logs)) - 1]
            cells.line(
                noon, of_days(trial, beside.cell_v.max(axis=1), np.max), "copper", 1.3, dashed=True
            )
        cells.line(noon, of_days(trial, log.cell_v.min(axis=1), np.min), "lowest", 1.8)
        cells.line(noon, of_days(trial, log.cell_v.max(axis=1), np.max), "highest", 1.8)

    def _limits(self, plot: Plot, setup: Setup) -> None:
        over, under = (
            setup.protection.cell_over_voltage.trip_v,
            setup.protection.cell_under_voltage.trip_v,
        )
        assert self._trial is not None
        volts = self._trial.logs[self._pack - 1].cell_v
        low, high = float(volts.min()), float(volts.max())
        if high > over - 0.25:
            plot.level(over, "act", 1.4)
            plot.note(
                self.hours[0],
                over,
                f"trip {over:.2f}",
                "act",
                anchor=(0, 0),
                size=CELL_PT - 0.5,
                bold=False,
            )
            high = max(high, over)
        if low < under + 0.25:
            plot.level(under, "act", 1.4)
            plot.note(
                self.hours[0],
                under,
                f"trip {under:.2f}",
                "act",
                anchor=(0, 1),
                size=CELL_PT - 0.5,
                bold=False,
            )
            low = min(low, under)
        plot.item.setYRange(low, high, padding=0.08)

    def _draw_spans(self, plot: Plot, spans: list[Span], start_s: float, shown_h: float) -> None:
        plot.item.setYRange(-0.6, 2.7, padding=0)
        first, last = self.hours
        for lane, kind in dict.fromkeys((s.lane, s.kind) for s in spans):
            colour = self._theme.colour(KIND_ROLE.get(kind, "act"))
            if kind == "float":
                colour.setAlpha(120)
            own = [s for s in spans if (s.lane, s.kind) == (lane, kind)]
            begin, end = (
                (np.array(moments) - start_s) / 3600.0
                for moments in ([s.start_s for s in own], [s.end_s for s in own])
            )
            begin = np.maximum(begin, first)
            end = np.minimum(np.maximum(end, begin + 0.002 * shown_h), last)
            plot.addItem(_bars(begin, end, (LANE_Y[lane] - 0.34, 0.68), colour))
        first_trip = min(
            (s for s in spans if s.lane == "trip"), key=lambda s: s.start_s, default=None
        )
        if (
            first_trip is not None and shown_h < 24.0 * 8.0
        ):  # the others are told beside; their words would cover each other
            x0, x1 = (first_trip.start_s - start_s) / 3600.0, (first_trip.end_s - start_s) / 3600.0
            left = x1 > first + 0.6 * shown_h
            plot.note(
                x0 if left else x1,
                LANE_Y["trip"],
                first_trip.text,
                "act",
                anchor=(1.0 if left else 0.0, 0.5),
                size=CELL_PT,
                bold=False,
            )
        with refilled(self._legend):
            self._explain({s.kind for s in spans})

    def _explain(self, kinds: set[str]) -> None:
        for kind in (k for k in KIND_ROLE if k in kinds):
            entry = QHBoxLayout()
            entry.setSpacing(4)
            entry.addWidget(label("■", KIND_ROLE[kind], CELL_PT - 0.5))
            entry.addWidget(label(KIND_WORD.get(kind, kind), "soft", CELL_PT - 0.5))
            self._legend.addLayout(entry)
        self._legend.addStretch(1)

    @Slot(object)
    def _dragged(self, head: pg.InfiniteLine) -> None:
        self.set_hour(float(head.getXPos()))
        self.scrubbed.emit(self.hour)

    def set_hour(self, hour: float, covered: bool = False) -> None:
        """Move the playhead; while it plays, what comes after it is covered."""
        first, last = self.hours
        self.hour = min(max(hour, first), last)
        for head, cover in zip(self._heads, self._covers, strict=True):
            head.setValue(self.hour)
            cover.setRegion((self.hour if covered else last, last))


def _bars(
    begin: NDArray[Any], end: NDArray[Any], y: tuple[float, float], colour: QColor
) -> pg.BarGraphItem:
    """Bars from hour to hour, with their foot and height."""
    return pg.BarGraphItem(x0=begin, x1=end, y0=y[0], height=y[1], brush=colour, pen=None)


def of_days(
    trial: "Trial", values: NDArray[Any], choose: Callable[[NDArray[Any]], float]
) -> NDArray[np.floating]:
    """One value a day of what has one a row."""
    day = ((trial.logs[0].time_s - trial.start_s) // 86400.0).astype(int)
    edges = np.r_[np.flatnonzero(np.diff(day, prepend=-1)), day.size]
    return np.array([choose(values[a:b]) for a, b in pairwise(edges.tolist())])


def strays(trial: "Trial", pack: int) -> tuple[int, int]:
    """The cells drawn in colour: the highest where the pack is at its highest, and the lowest
    there.
    """
    log = trial.logs[pack - 1]
    row = int(np.argmax(log.cell_v.max(axis=1)))
    return int(np.argmax(log.cell_v[row])), int(np.argmin(log.cell_v[row]))


def _midnight(trial: "Trial") -> float:
    """Midnight of the first day, by the run's own sun."""
    return trial.start_s - trial.start_s % 86400.0
