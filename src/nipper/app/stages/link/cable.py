"""The cable to make, pin by pin; addresses as they sit on the switches; resistors by the meter."""

from collections.abc import Mapping

from PySide6.QtCore import QPointF, QRectF, Qt, Slot
from PySide6.QtGui import QPainter, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from nipper.app.document import Document
from nipper.app.theme import BASE_PT, Theme, font
from nipper.app.widgets.basic import SEMI, card, clear, label
from nipper.app.widgets.brush import Brush
from nipper.app.widgets.field import UnitField
from nipper.app.widgets.form import SettingsForm
from nipper.app.widgets.units import UNITS
from nipper.core.errors import RangeError
from nipper.core.link.answer import link_cable
from nipper.core.link.cable import RJ45, SIGNALS, STANDARD, Cable
from nipper.core.link.switches import Address, address_of, addresses, ends, longest_m, means, seen
from nipper.core.setup import Link, Setup
from nipper.core.setup.pins import parse_pins

PIN_H, PIN_W, SIDE_W = 24, 30, 84
TONES = {"can_h": "highest", "can_l": "lowest", "d1_b": "highest", "d0_a": "lowest",
         "ground": "ink"}  # fmt: skip
RJ45_PINS = 8


class CableFigure(QWidget):
    """Two sockets and the wires between them."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._sides: tuple[Mapping[int, str], Mapping[int, str]] = ({}, {})
        self._cable: Cable | None = None
        self.setMinimumSize(330, 28 + (RJ45_PINS + 1) * PIN_H)
        theme.changed.connect(self.update)

    def show_cable(
        self, battery: Mapping[int, str], inverter: Mapping[int, str], found: Cable
    ) -> None:
        """Show a cable between two sockets."""
        self._sides, self._cable = (battery, inverter), found
        pins = max([RJ45_PINS, *battery, *inverter])
        self.setMinimumHeight(28 + (pins + 1) * PIN_H)
        self.setAccessibleName(UNITS.text("The cable to make"))
        self.setAccessibleDescription(
            UNITS.text(
                "; ".join(
                    f"battery pin {w.battery} to inverter pin {w.inverter}" for w in found.wires
                )
            )
        )
        self.update()

    def _y(self, pin: int) -> float:
        return 30.0 + (pin - 0.5) * PIN_H

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        painter = Brush(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        right = float(self.width() - 2)
        ends_x = (SIDE_W + PIN_W, right - SIDE_W - PIN_W)
        for side, title in enumerate(("battery", "inverter")):
            self._socket(painter, side, title, right)
        if self._cable is None:
            return
        for wire in self._cable.wires:
            start, end = self._y(wire.battery), self._y(wire.inverter)
            path = QPainterPath(QPointF(ends_x[0], start))
            bend = (ends_x[1] - ends_x[0]) / 2
            path.cubicTo(ends_x[0] + bend, start, ends_x[1] - bend, end, ends_x[1], end)
            tone = self._theme.colour(TONES.get(wire.signal, "herd"))
            painter.setPen(QPen(tone, 3))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPath(path)

    def _socket(self, painter: QPainter, side: int, title: str, right: float) -> None:
        pins = self._sides[side]
        x = SIDE_W if side == 0 else right - SIDE_W - PIN_W
        painter.setPen(self._theme.colour("ink"))
        painter.setFont(font(BASE_PT, SEMI))
        place = QRectF(x - 60, 0, PIN_W + 120, 24)
        painter.drawText(place, Qt.AlignmentFlag.AlignHCenter, title)
        for pin in range(1, max([RJ45_PINS, *pins]) + 1):
            y = self._y(pin)
            box = QRectF(x, y - PIN_H / 2 + 2, PIN_W, PIN_H - 4)
            painter.setPen(QPen(self._theme.colour("line"), 1.2))
            painter.setBrush(self._theme.colour("card"))
            painter.drawRoundedRect(box, 3, 3)
            painter.setPen(self._theme.colour("ink" if pin in pins else "faint"))
            painter.setFont(font(BASE_PT, SEMI))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, str(pin))
            if pin in pins:
                painter.setFont(font(BASE_PT))
                words = QRectF(0, y - 12, SIDE_W - 8, 24)
                align = Qt.AlignmentFlag.AlignRight
                if side == 1:
                    words, align = QRectF(x + PIN_W + 8, y - 12, SIDE_W, 24), align.AlignLeft
                painter.drawText(words, align | Qt.AlignmentFlag.AlignVCenter, SIGNALS[pins[pin]])


class SwitchFigure(QWidget):
    """The address switches of each pack, drawn as they must sit: up is ON."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._packs: list[Address] = []
        theme.changed.connect(self.update)

    def show_addresses(self, packs: list[Address]) -> None:
        """Show the switches of these packs."""
        self._packs = packs
        self.setMinimumHeight(44 * len(packs) + 22)
        self.setAccessibleName(UNITS.text("Address switches"))
        self.setAccessibleDescription(
            UNITS.text("; ".join(f"{a.pack}: address {a.address}, {a.switches}" for a in packs))
        )
        self.update()

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        painter = Brush(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(BASE_PT - 1))
        painter.setPen(self._theme.colour("soft"))
        painter.drawText(QRectF(0, 0, self.width(), 20), 0, "up is ON; switch 1 stands left")
        for row, pack in enumerate(self._packs):
            self._pack(painter, 22.0 + 44 * row, pack)

    def _pack(self, painter: QPainter, top: float, pack: Address) -> None:
        painter.setPen(self._theme.colour("ink"))
        painter.setFont(font(BASE_PT, SEMI))
        align = Qt.AlignmentFlag.AlignVCenter
        metrics = painter.fontMetrics()
        name = metrics.elidedText(pack.pack, Qt.TextElideMode.ElideRight, 76)
        painter.drawText(QRectF(0, top, 80, 34), align, name)
        for i, on in enumerate(pack.switches):
            slot = QRectF(84 + i * 24, top, 18, 34)
            painter.setPen(QPen(self._theme.colour("line"), 1.2))
            painter.setBrush(self._theme.colour("card"))
            painter.drawRoundedRect(slot, 3, 3)
            painter.setBrush(self._theme.colour("ink" if on == "1" else "herd"))
            painter.setPen(Qt.PenStyle.NoPen)
            at = slot.top() + (3 if on == "1" else 18)
            painter.drawRoundedRect(QRectF(slot.left() + 3, at, 12, 13), 2, 2)
        painter.setPen(self._theme.colour("soft"))
        painter.setFont(font(BASE_PT))
        x = 92.0 + 24 * len(pack.switches)
        words = f"address {pack.address}, {pack.role}"
        painter.drawText(QRectF(x, top, self.width() - x, 34), align, words)


class CablePage(QWidget):
    """Sockets typed, the cable drawn, switches drawn, the meter read."""

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setSpacing(8)
        columns = QHBoxLayout()
        columns.setSpacing(12)
        columns.addWidget(self._left(theme), 5)
        columns.addWidget(self._right(theme), 4)
        layout.addLayout(columns, 1)

    def _left(self, theme: Theme) -> QWidget:
        frame, inside = card()
        inside.addWidget(label("The cable to make", weight=SEMI))
        self._straight = label("", wrap=True)
        inside.addWidget(self._straight)
        self.figure = CableFigure(theme)
        inside.addWidget(self.figure)
        self._notes = label("", "soft", BASE_PT - 0.5, wrap=True)
        inside.addWidget(self._notes)
        self.form = SettingsForm()
        self.form.add_part(
            "link", Link, "Sockets, by the manuals", ("battery_pins", "inverter_pins"), 0
        )
        for path in self.form.paths:
            field = self.form.field(path)
            field.setMaximumWidth(420)
            field.setMinimumWidth(170)
        self.form.entered.connect(self._entered)
        inside.addWidget(self.form)
        inside.addStretch(1)
        return frame

    def _right(self, theme: Theme) -> QWidget:
        frame, inside = card()
        inside.addWidget(label("Addresses", weight=SEMI))
        self.switches = SwitchFigure(theme)
        inside.addWidget(self.switches)
        self.switch_form = SettingsForm()
        self.switch_form.add_part("link", Link, "", ("switch_count", "switch_on_means"), 0)
        self.switch_form.entered.connect(self._entered)
        inside.addWidget(self.switch_form)
        line = QHBoxLayout()
        self.picture = QLineEdit(placeholderText="1000")
        self.picture.setMaximumWidth(170)
        self.picture.setMaxLength(60)
        self.picture.setAccessibleName(UNITS.text("switches as you see them"))
        self.picture.textChanged.connect(self._seen)
        self._address = label("", weight=SEMI, wrap=True)
        line.addWidget(label("you see"))
        line.addWidget(self.picture)
        line.addWidget(self._address, 1)
        inside.addLayout(line)
        inside.addWidget(label("Resistors and meter, everything off", weight=SEMI))
        self._ends = label("", wrap=True)
        inside.addWidget(self._ends)
        line = QHBoxLayout()
        self.ohm = UnitField("Ω", "Meter across the pair", "both ends plugged in, power off", True)
        self.ohm.set_bounds(0.0, 1e9)
        self.ohm.entered.connect(self._measured)
        self._means = label("", weight=SEMI, wrap=True)
        line.addWidget(label("the meter shows"))
        line.addWidget(self.ohm)
        line.addWidget(self._means, 1)
        inside.addLayout(line)
        self._meter = QGridLayout()
        self._meter.setVerticalSpacing(2)
        inside.addLayout(self._meter)
        inside.addStretch(1)
        return frame

    @Slot()
    def refresh(self) -> None:
        """Show the cable of the settings as they stand."""
        setup = self._document.named_bank
        found, assumed = link_cable(setup)
        self.figure.show_cable(*_pins(setup), found)
        if assumed:
            text = "A socket is not said: drawn by the standard. Both manuals decide."
        else:
            text = f"A straight cable is {found.straight}: {found.why}."
        self._straight.setText(text)
        never = ", ".join(f"{a} with {b}" for a, b in found.never_meet)
        wires = ", ".join(f"{w.battery} {w.colour}" for w in found.wires if w.colour)
        notes = [f"Wires at the battery's end, by T568B: {wires}."] if wires else []
        notes += [f"Must never meet (battery's pin with inverter's): {never}."] if never else []
        notes += [f"{n[:1].upper()}{n[1:]}." for n in found.notes]
        self._notes.setText(" ".join(notes))
        self.switches.show_addresses(addresses(setup))
        self._seen()
        for form in (self.form, self.switch_form):
            form.show_setup(self._document.setup)
        self._ends.setText(_bus_words(setup))
        clear(self._meter)
        self._meter.addWidget(label("The cable alone, unplugged at both ends:", "soft"), 0, 0)
        for row, words in enumerate(found.meter[:-1], 1):
            self._meter.addWidget(label(words, "soft", BASE_PT - 0.5, wrap=True), row, 0)

    @Slot()
    def _seen(self, *_: object) -> None:
        """The address that the switches one sees set, and which pack has it."""
        text = self.picture.text()
        if not text.strip():
            self._address.setText("")
            return
        setup = self._document.named_bank
        on_is = int(setup.link.switch_on_means) if setup.link else 1
        try:
            address = address_of(seen(text), on_is)
        except RangeError as error:
            self._address.setText(str(error))
            return
        whose = [a.pack for a in addresses(setup) if a.address == address]
        self._address.setText(f"address {address}: {whose[0] if whose else 'no pack of this bank'}")

    @Slot(object)
    def _measured(self, ohm: float | None) -> None:
        self._means.setText("" if ohm is None else means(ohm))

    @Slot(str, object)
    def _entered(self, path: str, value: object) -> None:
        self._document.settings.enter({path: value}, f"Set {path}")
        self.refresh()


def _pins(setup: Setup) -> tuple[Mapping[int, str], Mapping[int, str]]:
    link = setup.link
    standard = STANDARD["rs485" if link and link.transport == "rs485" else "can"]
    assert standard.kind == RJ45
    texts = (link.battery_pins, link.inverter_pins) if link else (None, None)
    battery, inverter = (parse_pins(t) if t else standard.pins for t in texts)
    return battery, inverter


def _bus_words(setup: Setup) -> str:
    here, there = ends(setup)
    text = f"120 Ω belong at {here} and {there}, nowhere else: 60 Ω across the pair."
    link = setup.link
    most_m = longest_m(link.transport, link.bit_rate) if link and link.bit_rate else None
    if link and most_m:
        text += f" At {link.bit_rate} bit/s the bus may be {most_m:g} m long."
    return text
