"""PV strings: every way to wire the modules on the input's voltage scale, the best first, and the
module's and the input's sheets.
"""

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal, Slot
from PySide6.QtGui import QFontMetricsF, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLineEdit,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from nipper.app.document import Document
from nipper.app.theme import BASE_PT, Theme, font
from nipper.app.theme.marks import STATUS_ROLE, draw_status
from nipper.app.widgets.basic import SEMI, button, card, label
from nipper.app.widgets.brush import Brush
from nipper.app.widgets.form import SettingsForm
from nipper.app.widgets.units import UNITS
from nipper.core.quantities import with_minus
from nipper.core.setup import Module, Setup, Solar, Tracker
from nipper.core.sources.solar import (
    MODULES_SOURCE,
    Arrangement,
    arrangements,
    as_set,
    modules,
    starts_at_v,
)

ROW_H, NAME_W, TAIL_W, HEAD_H = 36.0, 168.0, 92.0, 38.0
MOST_ROWS = 5
OTHER = (
    ("module.voc_v", "module.vmp_v", "in_series"),
    ("module.isc_a", "module.imp_a", "strings"),
    ("module.voc_pct_per_k", "module.vmp_pct_per_k"),
)
NEW_TRACKER = {"max_v": 150.0}


class StringChart(QWidget):
    """A row for each arrangement: from the hottest operating voltage to the coldest open one.

    ``chosen`` carries modules in series.
    """

    chosen = Signal(int)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._ways: list[Arrangement] = []
        self._setup: Setup | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        theme.changed.connect(self.update)

    def show_ways(self, setup: Setup) -> None:
        """Show every arrangement of the setup's modules; the one that is set is always among the
        shown.
        """
        here, ways = as_set(setup), arrangements(setup)
        shown = ways[:MOST_ROWS]
        if here is not None and here not in shown:
            shown[-1:] = [here]
        self._setup, self._ways = setup, shown
        self.setAccessibleName(
            UNITS.text(
                "Ways to wire the modules: " + "; ".join(f"{a.title}: {words(a)}" for a in shown)
            )
        )
        self.updateGeometry()
        self.update()

    def sizeHint(self) -> QSize:  # noqa: N802 - Qt's name
        return QSize(640, int(HEAD_H + ROW_H * max(1, len(self._ways)) + 8))

    def minimumSizeHint(self) -> QSize:  # noqa: N802 - Qt's name
        return self.sizeHint()

    def _top_v(self) -> float:
        assert self._setup
        assert self._setup.solar
        limit = self._setup.solar.tracker.max_v
        return max(
            1.25 * limit,
            1.05 * max((a.cold_v for a in self._ways if a.cold_v < 2.2 * limit), default=limit),
        )

    def _x(self, volts: float) -> float:
        return NAME_W + (self.width() - NAME_W - TAIL_W) * min(volts / self._top_v(), 1.0)

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        painter = Brush(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self._setup is not None and self._setup.solar is not None:
            self._paint_input(painter, self._setup, self._setup.solar)
            for i, way in enumerate(self._ways):
                self._paint_way(painter, way, HEAD_H + i * ROW_H, self._setup.solar)
        painter.end()

    def _paint_input(self, painter: QPainter, setup: Setup, solar: Solar) -> None:
        tracker, colour = solar.tracker, self._theme.colour
        bottom = HEAD_H + ROW_H * len(self._ways)
        low, high = starts_at_v(setup, solar), tracker.to_v or tracker.max_v
        painter.fillRect(
            QRectF(self._x(low), HEAD_H - 4, self._x(high) - self._x(low), bottom - HEAD_H + 4),
            colour("even"),
        )
        painter.fillRect(
            QRectF(
                self._x(tracker.max_v),
                HEAD_H - 4,
                self.width() - TAIL_W - self._x(tracker.max_v),
                bottom - HEAD_H + 4,
            ),
            colour("act_wash"),
        )
        painter.setFont(font(BASE_PT - 0.5))
        metrics = QFontMetricsF(painter.font())
        painter.setPen(colour("soft"))
        text = UNITS.text(f"the input works from {low:.0f} to {high:.0f} V")
        painter.drawText(QPointF(self._x(low), HEAD_H - 10), text)
        painter.setPen(QPen(colour("act"), 2))
        painter.drawLine(
            QPointF(self._x(tracker.max_v), HEAD_H - 8), QPointF(self._x(tracker.max_v), bottom)
        )
        limit = UNITS.text(f"never above {tracker.max_v:g} V")
        left = min(self._x(tracker.max_v) + 4, self.width() - metrics.horizontalAdvance(limit) - 2)
        clash = left < self._x(low) + metrics.horizontalAdvance(text) + 8
        painter.drawText(QPointF(left, HEAD_H - (24 if clash else 10)), limit)

    def _paint_way(self, painter: QPainter, way: Arrangement, top: float, solar: Solar) -> None:
        colour, middle = self._theme.colour, top + ROW_H / 2
        if way.forbidden:
            status = "act"
        elif way.doubts:
            status = "watch"
        else:
            status = "ok"
        if way.in_series == solar.in_series:
            painter.fillRect(QRectF(0, top + 1, self.width(), ROW_H - 2), colour("copper_wash"))
        draw_status(painter, status, QRectF(6, middle - 6, 12, 12), colour(STATUS_ROLE[status]))
        painter.setPen(colour("ink"))
        painter.setFont(font(BASE_PT, SEMI))
        painter.drawText(
            QRectF(24, top, NAME_W - 24, ROW_H), int(Qt.AlignmentFlag.AlignVCenter), way.title
        )
        role = {"act": "act", "watch": "watch", "ok": "ok"}[status]
        bar = QRectF(
            self._x(way.hot_v), middle - 7, max(3.0, self._x(way.cold_v) - self._x(way.hot_v)), 14
        )
        painter.fillRect(bar, colour(role))
        painter.setFont(font(BASE_PT - 0.5))
        painter.setPen(colour("ink"))
        ends = UNITS.text(f"{way.hot_v:.0f} to {way.cold_v:.0f} V")
        width = QFontMetricsF(painter.font()).horizontalAdvance(ends)
        limit = self._x(solar.tracker.max_v)
        crosses = (
            bar.right() < limit < bar.right() + 8 + width
            or bar.right() + 8 + width > self.width() - TAIL_W
        )
        if crosses and bar.width() > width + 10:
            painter.setPen(colour("card"))
            painter.drawText(bar.adjusted(0, -2, 0, 2), int(Qt.AlignmentFlag.AlignCenter), ends)
        else:
            painter.drawText(
                QPointF(bar.left() - width - 6 if crosses else bar.right() + 6, middle + 4.5), ends
            )
        painter.setPen(colour("ink"))
        tail = QRectF(self.width() - TAIL_W, top, TAIL_W - 8, ROW_H)
        painter.drawText(
            tail,
            int(Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight),
            f"{way.usable_w / 1e3:.2f} kW",
        )

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802 - Qt's name
        row = int((event.position().y() - HEAD_H) // ROW_H)
        if 0 <= row < len(self._ways):
            self.chosen.emit(self._ways[row].in_series)


def words(way: Arrangement) -> str:
    """What is wrong with an arrangement, or that nothing is."""
    wrong = [flaw.text for flaw in (*way.forbidden, *way.doubts)]
    return (
        "; ".join(wrong) if wrong else "fits the input on the coldest morning and the hottest noon"
    )


class StringPage(QWidget):
    """Chart, the words of the arrangement that is set, and the two sheets."""

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        outer, area, body = QVBoxLayout(self), QScrollArea(), QWidget()
        outer.setContentsMargins(0, 4, 0, 0)
        outer.addWidget(area)
        body.setObjectName("scrolled")
        area.setWidget(body)
        area.setWidgetResizable(True)
        layout = QVBoxLayout(body)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        self.chart = StringChart(theme)
        self.chart.chosen.connect(self._wire)
        self._says = label("", size=BASE_PT + 0.5, wrap=True)
        self._caution = label(
            "Strings are live whenever there is light, also when nothing is connected. "
            "Measure polarity and voltage before plugging in; isolate first. "
            "Sheets of modules and input, and local code, decide.",
            "act",
            BASE_PT - 0.5,
            wrap=True,
        )
        self.start = button(
            "Describe the modules",
            "main",
            "Begins with a usual module and an input of 150 V; both are changed below",
        )
        self.start.clicked.connect(self._begin)
        layout.addWidget(self.chart)
        layout.addWidget(self._says)
        layout.addWidget(self.start, 0, Qt.AlignmentFlag.AlignLeft)
        self._sheets = self._fields()
        layout.addWidget(self._sheets)
        layout.addWidget(self._caution)
        layout.addStretch(1)

    def _fields(self) -> QWidget:
        frame, inside = card()
        line = QHBoxLayout()
        self.kinds = QComboBox()
        self.kinds.setAccessibleName(UNITS.text("kind of module"))
        self.kinds.setToolTip(UNITS.text(MODULES_SOURCE))
        self.kinds.activated.connect(self._kind_chosen)
        self.kinds.setMinimumContentsLength(26)
        self.name = QLineEdit(maxLength=100)
        self.name.setAccessibleName(UNITS.text("Name of the module"))
        self.name.editingFinished.connect(self._named)
        line.addWidget(label("Module like", "soft"))
        line.addWidget(self.kinds)
        line.addWidget(label("named", "soft"))
        line.addWidget(self.name, 1)
        self.keep = button(
            "Keep in my list",
            "quiet",
            "In this bench: it can be chosen again, and taken out by the button beside",
        )
        self.keep.clicked.connect(self._keep)
        self.forget = button(
            "Take it out", "bare", "Takes the module of this name out of the bench's list"
        )
        self.forget.clicked.connect(self._forget)
        line.addWidget(self.keep)
        line.addWidget(self.forget)
        inside.addLayout(line)
        self.form = SettingsForm()
        self.form.add_part(
            "solar.module",
            Module,
            "Module, by its sheet",
            ("voc_v", "vmp_v", "voc_pct_per_k", "vmp_pct_per_k", "isc_a", "imp_a"),
            0,
        )
        self.form.add_part(
            "solar", Solar, "Place", ("modules", "in_series", "coldest_c", "hottest_c"), 2
        )
        self.form.add_part(
            "solar.tracker",
            Tracker,
            "Input, by its sheet",
            ("max_v", "from_v", "to_v", "max_a", "max_short_a", "max_w"),
            4,
        )
        self.form.entered.connect(self._entered)
        inside.addWidget(self.form)
        line = QHBoxLayout()
        self.other = button("", "quiet", "Strings of another kind of module on the same input")
        self.other.clicked.connect(self._other_kind)
        line.addWidget(self.other)
        line.addStretch(1)
        inside.addLayout(line)
        self.other_form = SettingsForm()
        for column, names in enumerate(OTHER):
            self.other_form.add_paths((f"solar.other.{name}" for name in names), 2 * column)
        self.other_form.entered.connect(self._entered)
        inside.addWidget(self.other_form)
        return frame

    @Slot()
    def _other_kind(self) -> None:
        """Strings of another kind beside the first, or without them again."""
        solar = self._document.bank.solar
        assert solar
        kind = {"module": solar.module.model_dump(), "in_series": solar.in_series, "strings": 1}
        self._change({"solar.other": None if solar.other else kind}, "Strings of another module")

    @Slot()
    def refresh(self) -> None:
        """Show the arrangements and the sheets."""
        setup = self._document.setup
        there = setup.solar is not None
        for widget in (self.chart, self._sheets, self._caution):
            widget.setVisible(there)
        self.start.setVisible(not there)
        if setup.solar is None:
            self._says.setText(
                "No PV modules are described. With them, every way to wire them is held "
                "against the input on the coldest morning and the hottest noon."
            )
            return
        self.chart.show_ways(setup)
        here = as_set(setup)
        assert here
        self._says.setText(
            with_minus(f"As set, {here.title}: {words(here)}. Click another row to wire it so.")
        )
        self.form.show_setup(setup)
        self.other_form.setVisible(setup.solar.other is not None)
        self.other_form.show_setup(setup)
        self.other.setText(
            "Take the other strings out" if setup.solar.other else "Strings of another module …"
        )
        self._list = [*modules(), *self._document.shelf.modules()]
        self.kinds.clear()
        names, module = [m.name for m in self._list], setup.solar.module.name
        self.kinds.addItems(UNITS.texts(names))
        self.kinds.setCurrentIndex(names.index(module) if module in names else -1)
        self.name.setText(setup.solar.module.name)
        self.name.setCursorPosition(0)
        self.forget.setVisible(
            any(m.name == setup.solar.module.name for m in self._document.shelf.modules())
        )

    def _change(self, changes: dict[str, object], words: str) -> None:
        self._document.settings.enter(changes, words)

    @Slot()
    def _begin(self) -> None:
        self._change(
            {"solar": {"module": modules()[1].model_dump(), "tracker": NEW_TRACKER}},
            "Describe the PV modules",
        )

    @Slot(int)
    def _wire(self, in_series: int) -> None:
        self._change({"solar.in_series": in_series}, "Wire the strings")

    @Slot(int)
    def _kind_chosen(self, index: int) -> None:
        self._change({"solar.module": self._list[index].model_dump()}, "Choose a module")

    @Slot()
    def _named(self) -> None:
        if self.name.isModified() and self.name.text().strip():
            self.name.setModified(False)
            self._change({"solar.module.name": self.name.text().strip()}, "Name the module")

    @Slot(str, object)
    def _entered(self, path: str, value: object) -> None:
        self._change({path: value}, f"Set {path}")
        self.refresh()

    @Slot()
    def _keep(self) -> None:
        solar = self._document.setup.solar
        if solar is not None:
            self._document.shelf.keep_module(solar.module)
            self.refresh()

    @Slot()
    def _forget(self) -> None:
        solar = self._document.setup.solar
        if solar is not None:
            self._document.shelf.forget_module(solar.module.name)
            self.refresh()
