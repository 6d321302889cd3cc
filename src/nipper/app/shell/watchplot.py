"""The deviation of a live watch as it goes, with its marks."""

from datetime import tzinfo
from typing import TYPE_CHECKING

import numpy as np

from nipper.app.theme import Theme
from nipper.app.widgets.plot import Plot

if TYPE_CHECKING:
    from nipper.core.link.watch import Watch

MOST_POINTS = 4000  # more is not seen, and costs a frame


class WatchPlot(Plot):
    """Millivolts over the time of day."""

    def __init__(self, theme: Theme, zone: tzinfo) -> None:
        super().__init__(theme, time_axis=True, zone=zone, unit="mV between the cells")
        self.setMinimumHeight(120)
        self._watch: Watch | None = None
        theme.changed.connect(self._dressed)

    def _dressed(self, *_: object) -> None:
        self.show_watch(self._watch)

    def show_watch(self, watch: "Watch | None") -> None:
        """Show what was read so far."""
        self._watch = watch
        self.item.clear()
        if watch is None or len(watch.rows) < 2:
            return
        step = 1 + len(watch.rows) // MOST_POINTS
        times = np.array([r.time_s for r in watch.rows[::step]])
        apart = np.array(watch.apart_mv[::step])
        self.line(times, apart, "copper", 2.0)
        for mark in watch.marks:
            self.mark(mark.time_s, "soft", mark.note[:40], 0.9)
        self.item.setYRange(0.0, 1.15 * float(apart.max()) + 1.0, padding=0.0)
        self.item.setXRange(float(times[0]), float(times[-1]) + 1.0, padding=0.01)
