"""The settings of the link, and the way of the current as a chain with its weakest link."""

from typing import ClassVar

from PySide6.QtCore import QRectF, Qt, Slot
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QVBoxLayout, QWidget

from nipper.app.document import Document
from nipper.app.theme import BASE_PT, Theme, font
from nipper.app.widgets.basic import SEMI, card, label
from nipper.app.widgets.brush import Brush
from nipper.app.widgets.form import SettingsForm
from nipper.app.widgets.units import UNITS
from nipper.core.setup import Link, Setup
from nipper.core.wiring.chain import Chain, Part, chain

WORDS = {"bms": "BMS", "cells": "cells", "inverter": "inverter"}
BOX_H, ROW_H, GAP, LEFT = 58, 112, 22, 92


class ChainFigure(QWidget):
    """Both sides as boxes from the cells to the inverter; the weakest one in copper."""

    sides: ClassVar[tuple[str, ...]] = ("charge", "discharge")

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._chains: tuple[Chain, ...] = ()
        self._packs = 1
        self.setMinimumHeight(2 * ROW_H + 6)
        theme.changed.connect(self.update)

    def show_setup(self, setup: Setup) -> None:
        """Show the chains of a bank."""
        self._packs = setup.packs_in_parallel
        self._chains = (chain(setup, "charge"), chain(setup, "discharge"))
        words = [self._words(s, c) for s, c in zip(self.sides, self._chains, strict=True)]
        self.setAccessibleName(UNITS.text("Way of the current"))
        self.setAccessibleDescription(UNITS.text(" ".join(words)))
        self.update()

    @staticmethod
    def _words(side: str, found: Chain) -> str:
        if found.limit_a is None:
            return f"{side}: nothing known."
        return f"{side}: {found.limit_a:g} A, the {found.weakest} is the weakest."

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        painter = Brush(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for row, (side, found) in enumerate(zip(self.sides, self._chains, strict=True)):
            self._row(painter, 4 + row * ROW_H, side, found)

    def _row(self, painter: QPainter, top: float, side: str, found: Chain) -> None:
        painter.setPen(self._theme.colour("ink"))
        painter.setFont(font(BASE_PT + 1, SEMI))
        middle = QRectF(0, top, LEFT - 8, BOX_H)
        painter.drawText(middle, Qt.AlignmentFlag.AlignVCenter, side)
        if not found.parts:
            painter.setPen(self._theme.colour("soft"))
            painter.drawText(QRectF(LEFT, top, 400, BOX_H), Qt.AlignmentFlag.AlignVCenter,
                             "nothing is known")  # fmt: skip
            return
        count = len(found.parts)
        width = min(138.0, (self.width() - LEFT - 2 - GAP * (count - 1)) / count)
        for i, part in enumerate(found.parts):
            x = LEFT + i * (width + GAP)
            if i:
                painter.setPen(QPen(self._theme.colour("herd"), 2))
                y = top + BOX_H / 2
                painter.drawLine(int(x - GAP), int(y), int(x), int(y))
            self._box(painter, QRectF(x, top, width, BOX_H), part, part.part == found.weakest)
        painter.setFont(font(BASE_PT))
        painter.setPen(self._theme.colour("soft"))
        away = ""
        if found.one_off_a:
            away = f"; with one pack away {found.one_off_a:g} A"
        told = "" if found.limit_a is None else f"{found.limit_a:g} A in all{away}"
        painter.drawText(QRectF(LEFT, top + BOX_H + 4, self.width() - LEFT, 24), 0, told)

    def _box(self, painter: QPainter, box: QRectF, part: Part, weakest: bool) -> None:
        color = self._theme.colour
        painter.setPen(QPen(color("copper" if weakest else "line"), 2.5 if weakest else 1.2))
        painter.setBrush(color("copper_wash" if weakest else "card"))
        painter.drawRoundedRect(box.adjusted(1, 1, -1, -1), 5, 5)
        name = WORDS.get(part.part, part.part) + (f", {part.pack}" if part.pack else "")
        each = f"{self._packs} × " if part.of == "pack" and self._packs > 1 else ""
        painter.setPen(color("soft"))
        painter.setFont(font(BASE_PT - 1))
        upper = box.adjusted(6, 6, -6, -box.height() / 2)
        painter.drawText(upper, Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignVCenter, name)
        painter.setPen(color("ink"))
        painter.setFont(font(BASE_PT + 2, SEMI))
        lower = box.adjusted(4, box.height() / 2 - 6, -4, -6)
        painter.drawText(
            lower,
            Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignVCenter,
            f"{each}{part.limit_a:g} A",
        )


class PathPage(QWidget):
    """The chain, and the fields of the link."""

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setSpacing(8)
        layout.addWidget(
            label(
                "What each part carries, per pack and for the bank: limits add up with the packs "
                "online, but only as far as the wiring goes. The inverter takes the least.",
                "soft",
                wrap=True,
            )
        )
        self.figure = ChainFigure(theme)
        layout.addWidget(self.figure)
        self.forms = (SettingsForm(), SettingsForm())
        talks, own = self.forms
        talks.add_part("link", Link, "How they talk", ("mode", "transport", "profile"), 0)
        talks.add_part("link", Link, "", ("bit_rate", "address", "bus_length_m"), 2)
        talks.add_part("link", Link, "When it is lost", ("loss_timeout_s", "on_loss"), 4)
        amps = ("inverter_max_charge_a", "inverter_max_discharge_a", "mains_v")
        own.add_part("link", Link, "The inverter's own", amps, 0)
        own.add_part("link", Link, "", ("low_alarm_v", "low_cut_v", "low_restart_v"), 2)
        for form in self.forms:
            frame, inside = card()
            form.entered.connect(self._entered)
            inside.addWidget(form)
            layout.addWidget(frame)
        layout.addStretch(1)

    @Slot()
    def refresh(self) -> None:
        """Show the settings as they stand."""
        self.figure.show_setup(self._document.named_bank)
        for form in self.forms:
            form.show_setup(self._document.setup)

    @Slot(str, object)
    def _entered(self, path: str, value: object) -> None:
        if not self._document.settings.enter({path: value}, f"Set {path}"):
            self.refresh()
