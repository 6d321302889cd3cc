"""A field for one number with its unit: takes arithmetic and other units, and says what it
expected.
"""

import math

from PySide6.QtCore import Qt, Signal, Slot
from PySide6.QtGui import QFocusEvent, QKeyEvent
from PySide6.QtWidgets import QLineEdit, QWidget

from nipper.app.widgets.basic import dress
from nipper.app.widgets.units import UNITS
from nipper.core.errors import RangeError
from nipper.core.quantities import Context, format_quantity, parse_quantity


class UnitField(QLineEdit):
    """Shows ``3.65 V``; typed may be ``55.2/16``, ``3650 mV`` or ``0.2C``.

    ``entered`` carries the value, None when emptied.
    """

    entered = Signal(object)  # float | None

    def __init__(
        self,
        unit: str,
        title: str = "",
        help_text: str = "",
        optional: bool = False,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.unit, self._title, self._help, self._optional = unit, title, help_text, optional
        self._value: float | None = None
        self.context = Context()
        self._usual = ""
        self._bounds = (-math.inf, math.inf)
        self.setMinimumWidth(78)
        self.setMaximumWidth(96)
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.setPlaceholderText(UNITS.text("–" if optional else ""))
        self._say("")
        self._unit_changed()
        self.editingFinished.connect(self._finish)
        UNITS.changed.connect(self._unit_changed)

    @property
    def value(self) -> float | None:
        """The number in the field's own unit."""
        return self._value

    def set_value(self, value: float | None) -> None:
        """Show a value, unless the user is just typing another."""
        if value == self._value and not self.trouble and self.text():
            return
        self._value = value
        if not (self.hasFocus() and self.isModified()):
            self._show()

    def set_bounds(self, low: float, high: float) -> None:
        """What can be meant here at all, in the field's own unit; anything else is told."""
        self._bounds = (low, high)

    def set_usual(self, text: str) -> None:
        """Say in the tooltip what is usual here, and by whose word."""
        if text != self._usual:
            self._usual = text
            self._tip("")

    def _show(self) -> None:
        self.setText("" if self._value is None else self._shown(self._value))
        self.setModified(False)
        self._say("")

    def _shown(self, value: float) -> str:
        shown, name = UNITS.shown(value, self.unit, self.context), self._unit_name()
        if name != self.unit:
            shown = round(shown, 3 if name == "C" else 2)  # 4 °C is 39.2 °F
        return UNITS.exact(format_quantity(shown, name))

    def _unit_name(self) -> str:
        return UNITS.name(self.unit, self.context)

    @Slot()
    def _unit_changed(self) -> None:
        name = self._unit_name()
        self.setProperty("said", self._title)  # by which the guide knows it, in any language
        self.setAccessibleName(UNITS.text(f"{self._title}, {name}" if name else self._title))
        if not self.isModified():
            self._show()

    def _say(self, trouble: str) -> None:
        other = dress(self, "wrong", "true" if trouble else "false")
        if not other and not trouble and self.toolTip():
            return
        self._tip(trouble)

    def _tip(self, trouble: str) -> None:
        hint = (
            "Takes arithmetic and units, e.g. 55.2/16 or 3450 mV."
            if self.unit == "V"
            else "Takes arithmetic and units."
        )
        parts = [
            f"{self._title}: {self._help}" if self._help else self._title,
            self._usual,
            trouble or hint,
        ]
        self.setToolTip(UNITS.text("\n".join(p for p in parts if p)))

    @property
    def trouble(self) -> bool:
        """Whether what stands here cannot be read."""
        return self.property("wrong") == "true"

    @Slot()
    def _finish(self) -> None:
        if not self.isModified():
            return
        text = self.text().strip()
        if not text and self._optional:
            self._take(None)
            return
        try:
            value = parse_quantity(text, self._unit_name(), self.context)
            value = UNITS.taken(value, self.unit, self.context)
        except RangeError as error:
            self._say(str(error))
            return
        low, high = self._bounds
        if not low <= value <= high:
            self._say(f"expected {self._shown(low)} to {self._shown(high)}, found {text}")
            return
        self._take(value)

    def _take(self, value: float | None) -> None:
        changed = value != self._value
        self._value = value
        self._show()
        if changed:
            self.entered.emit(value)

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802 - Qt's name
        if event.key() == Qt.Key.Key_Escape:
            self._show()
            self.selectAll()
            return
        super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent) -> None:  # noqa: N802 - Qt's name
        super().focusInEvent(event)
        if event.reason() in (Qt.FocusReason.TabFocusReason, Qt.FocusReason.BacktabFocusReason):
            self.selectAll()
