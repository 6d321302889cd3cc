"""Line plots in the notebook's hand: pyqtgraph, dressed from the palette.

Imported only when a stage first shows one.
"""

from collections.abc import Sequence
from datetime import UTC, datetime, tzinfo
from typing import Any

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from PySide6.QtCore import QCoreApplication, QEvent, QObject, Qt
from PySide6.QtGui import QColor, QFont, QMouseEvent, QShowEvent

from nipper.app.theme import BASE_PT, Theme, font
from nipper.app.widgets.curves import Curves
from nipper.app.widgets.units import UNITS
from nipper.core.quantities import with_minus

pg.setConfigOptions(antialias=True, background=None)


class DayAxis(pg.AxisItem):
    """Unix seconds along the bottom as days or times in the given zone, whatever is shown."""

    def __init__(self, zone: tzinfo = UTC) -> None:
        super().__init__("bottom")
        self._zone = zone
        self.enableAutoSIPrefix(False)

    def tickValues(self, minVal: float, maxVal: float, size: float) -> Any:  # noqa: N802, N803 - pyqtgraph's names
        """Round steps of days, hours or minutes."""
        low, high = minVal, maxVal
        span = max(high - low, 1.0)
        steps = (
            60,
            300,
            600,
            1800,
            3600,
            7200,
            14400,
            21600,
            43200,
            86400,
            2 * 86400,
            7 * 86400,
            14 * 86400,
            30 * 86400,
            91 * 86400,
            365 * 86400,
        )
        step = next((s for s in steps if span / s <= max(2, size / 90)), steps[-1])
        offset = datetime.fromtimestamp(max(low, 0), self._zone).utcoffset()
        shift = offset.total_seconds() if offset else 0.0
        first = np.ceil((low + shift) / step) * step - shift
        return [(float(step), list(np.arange(first, high, step)))]

    def tickStrings(self, values: Sequence[float], scale: float, spacing: float) -> list[str]:  # noqa: N802 - pyqtgraph's name
        """Days as 12 Oct, shorter as 12:40."""
        out: list[str] = []
        for value in values:
            moment = datetime.fromtimestamp(max(float(value), 0.0), self._zone)
            out.append(f"{moment.day} {moment:%b}" if spacing >= 86400 else f"{moment:%H:%M}")
        return UNITS.texts(out)


class RunAxis(pg.AxisItem):
    """Hours since midnight of a run's first day, as times of day, days, or weeks."""

    def __init__(self) -> None:
        super().__init__("bottom")
        self.enableAutoSIPrefix(False)

    def tickValues(self, minVal: float, maxVal: float, size: float) -> Any:  # noqa: N802, N803 - pyqtgraph's names
        """Round steps."""
        span = max(maxVal - minVal, 1e-3)
        steps = (
            1 / 60,
            2 / 60,
            5 / 60,
            0.25,
            0.5,
            1.0,
            2.0,
            3.0,
            6.0,
            12.0,
            24.0,
            48.0,
            168.0,
            336.0,
            728.0,
            1456.0,
        )
        step = next((s for s in steps if span / s <= max(2, size / 80)), steps[-1])
        return [(step, list(np.arange(np.ceil(minVal / step - 1e-9) * step, maxVal, step)))]

    def tickStrings(self, values: Sequence[float], scale: float, spacing: float) -> list[str]:  # noqa: N802 - pyqtgraph's name
        """Midnight is named by the day that begins."""
        out: list[str] = []
        for value in values:
            minutes = round(value * 60.0)
            day, rest = divmod(minutes, 1440)
            if spacing >= 168.0:
                out.append(f"week {day // 7 + 1}")
            else:
                out.append(f"day {day + 1}" if rest == 0 else f"{rest // 60:02d}:{rest % 60:02d}")
        return UNITS.texts(out)


class NumberAxis(pg.AxisItem):
    """Numbers with the mark that was chosen; temperatures in the unit that was chosen."""

    def __init__(self, side: str, unit: str = "") -> None:
        super().__init__(side)
        self._quantity = unit
        self.enableAutoSIPrefix(False)

    def tickStrings(self, values: Sequence[float], scale: float, spacing: float) -> list[str]:  # noqa: N802 - pyqtgraph's name
        """As pyqtgraph's, turned over."""
        if UNITS.name(self._quantity) != self._quantity:
            return [with_minus(f"{UNITS.shown(v, self._quantity):g}") for v in values]
        plain: Any = super()
        texts = plain.tickStrings(values, scale, spacing)
        return [UNITS.exact(with_minus(str(text))) for text in texts]


class Plot(pg.PlotWidget):
    """A plot with a quiet grid, no frame, axes in the soft tone; pans and zooms with the mouse,
    double-click shows all.
    """

    def __init__(
        self,
        theme: Theme,
        time_axis: bool = False,
        zone: tzinfo = UTC,
        unit: str = "",
        run_axis: bool = False,
        across: str = "",
    ) -> None:
        if run_axis:
            below = RunAxis()
        elif time_axis:
            below = DayAxis(zone)
        else:
            below = NumberAxis("bottom", across)
        axes = {"bottom": below, "left": NumberAxis("left", unit)}
        super().__init__(viewBox=pg.ViewBox(enableMenu=False), axisItems=axes)
        self._theme, self._unit = theme, unit
        self.setAccessibleName(UNITS.text(f"plot: {unit}" if unit else "plot"))
        item = self.item
        item.hideButtons()
        item.setMenuEnabled(False)
        item.getAxis("left").setStyle(
            tickFont=font(BASE_PT - 1.5), tickLength=0, autoExpandTextSpace=True
        )
        item.getAxis("bottom").setStyle(tickFont=font(BASE_PT - 1.5), tickLength=0)
        item.showGrid(x=False, y=True, alpha=0.25)
        if unit:
            item.getAxis("left").setLabel(UNITS.text(UNITS.name(unit)))
        self.setFrameShape(self.Shape.NoFrame)
        self.setStyleSheet("background: transparent")
        self.dress()
        theme.changed.connect(self.dress)

    @property
    def item(self) -> Any:
        """The plot item, whose methods pyqtgraph forwards in ways a type checker cannot follow."""
        return self.getPlotItem()

    def dress(self, *_: object) -> None:
        """Take the palette's tones."""
        self.setBackground(None)
        soft = self._theme.colour("soft")
        for name in ("left", "bottom"):
            axis = self.item.getAxis(name)
            axis.setPen(pg.mkPen(self._theme.colour("line")))
            axis.setTextPen(pg.mkPen(soft))

    @property
    def lines(self) -> list[Curves]:
        """The lines that are drawn."""
        return [item for item in self.item.items if isinstance(item, Curves)]

    def line(
        self,
        x: NDArray[Any],
        y: NDArray[Any],
        role: str,
        width: float = 1.0,
        dots: bool = False,
        dashed: bool = False,
        alpha: int = 255,
    ) -> Curves:
        """A line, or several over the same x, in a role's colour; NaN breaks it."""
        colour = self._theme.colour(role)
        colour.setAlpha(alpha)
        style = Qt.PenStyle.DashLine if dashed else Qt.PenStyle.SolidLine
        drawn = Curves(x, y, pg.mkPen(colour, width=width, style=style), dots)
        self.item.addItem(drawn)
        return drawn

    def band(
        self, x: NDArray[Any], low: NDArray[Any], high: NDArray[Any], role: str
    ) -> pg.FillBetweenItem:
        """A filled interval."""
        colour = self._theme.colour(role)
        colour.setAlpha(45)
        upper, lower = pg.PlotCurveItem(x, high, pen=None), pg.PlotCurveItem(x, low, pen=None)
        item = pg.FillBetweenItem(lower, upper, brush=colour)
        self.addItem(item)
        return item

    def mark(
        self, x: float, role: str = "copper", text: str = "", at: float = 0.04
    ) -> pg.InfiniteLine:
        """A dotted vertical line with a word beside it."""
        pen = pg.mkPen(self._theme.colour(role), width=1.2, style=Qt.PenStyle.DotLine)
        opts = {
            "position": at,
            "color": self._theme.colour(role),
            "anchors": [(0, 1), (0, 1)],
            "movable": False,
        }
        told = UNITS.text(text) or None
        item = pg.InfiniteLine(x, angle=90, pen=pen, label=told, labelOpts=opts)
        if text:
            item.label.setFont(font(BASE_PT - 1))
        self.addItem(item)
        return item

    def level(self, y: float, role: str = "line", width: float = 1.0) -> pg.InfiniteLine:
        """A thin horizontal line."""
        item = pg.InfiniteLine(y, angle=0, pen=pg.mkPen(self._theme.colour(role), width=width))
        self.addItem(item)
        return item

    def note(
        self,
        x: float,
        y: float,
        text: str,
        role: str,
        anchor: tuple[float, float] = (0, 0.5),
        bold: bool = True,
        size: float = BASE_PT,
    ) -> pg.TextItem:
        """A word in the plot."""
        item = pg.TextItem(UNITS.text(text), color=QColor(self._theme.colour(role)), anchor=anchor)
        item.setFont(font(size, QFont.Weight.DemiBold if bold else QFont.Weight.Normal))
        item.setPos(x, y)
        self.item.addItem(item, ignoreBounds=True)
        return item

    def showEvent(self, event: QShowEvent) -> None:  # noqa: N802 - Qt's name
        """From now on put in order before its window is painted."""
        self.window().installEventFilter(self)
        super().showEvent(event)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:  # noqa: N802 - Qt's name
        """What pyqtgraph finds out while it paints (ranges, bounds of lines) and what the scene
        only queues would have everything painted a second and a third time.
        """
        if event.type() == QEvent.Type.UpdateRequest and self.isVisible():
            scene: Any = self.scene()
            scene.prepareForPaint()
            scene.itemsBoundingRect()
            QCoreApplication.sendPostedEvents(scene, QEvent.Type.MetaCall.value)
        return super().eventFilter(watched, event)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:  # noqa: N802 - Qt's name
        """Show all again."""
        self.item.autoRange()
        super().mouseDoubleClickEvent(event)
