"""All settings as fields, made from the setup's models: label, unit and tooltip are declared there
and nowhere else.
"""

from collections.abc import Iterable
from typing import Any, Literal, get_args, get_origin

from PySide6.QtCore import Qt, Signal, Slot
from PySide6.QtWidgets import QComboBox, QGridLayout, QLineEdit, QWidget

from nipper.app.widgets.basic import SEMI, dress, label, term
from nipper.app.widgets.field import UnitField
from nipper.app.widgets.units import UNITS
from nipper.core.presets import usual_value
from nipper.core.quantities import Context, format_quantity, unit_of
from nipper.core.setup import Part, Protection, Setup, get

OF_PACK = ("protection.", "charging.")  # currents that are usually thought of as C-rates
Field = UnitField | QComboBox | QLineEdit
PROTECTION_COLUMNS = ("alarm", "trip", "release", "delay", "recovery")


class SettingsForm(QWidget):
    """Fields for a set of JSON paths. ``entered`` carries path and value."""

    entered = Signal(str, object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(8)
        self._grid.setVerticalSpacing(4)
        self._fields: dict[str, Field] = {}
        self._pack: tuple[object, ...] = ()

    @property
    def paths(self) -> list[str]:
        """The settings that can be typed here."""
        return list(self._fields)

    def field(self, path: str) -> Field:
        """The field of a setting."""
        return self._fields[path]

    def add_limits(self, names: tuple[str, ...]) -> "SettingsForm":
        """A table of protections: alarm, trip, release or recovery, delay."""
        row = 0
        used = {title for name in names for title in _columns(name)}
        for column, title in enumerate(PROTECTION_COLUMNS):
            if title in used:
                self._grid.addWidget(
                    term(title, f"word:{title}", "soft"),
                    row,
                    column + 1,
                    Qt.AlignmentFlag.AlignRight,
                )
        for name in names:
            row += 1
            info = Protection.model_fields[name]
            model = _model(info.annotation)
            if model is None:
                words = term(info.title or name, f"setting:protection.{name}")
                self._grid.addWidget(words, row, 0)
                self._add_field(f"protection.{name}", row, 1, Protection, name)
                continue
            words = term(info.title or name, f"setting:protection.{name}.{_trip(model)}")
            self._grid.addWidget(words, row, 0)
            for field_name, field in model.model_fields.items():
                self._add_field(
                    f"protection.{name}.{field_name}",
                    row,
                    1 + PROTECTION_COLUMNS.index(field.title or ""),
                    model,
                    field_name,
                )
        self._grid.setColumnStretch(len(PROTECTION_COLUMNS) + 1, 1)
        self._grid.setRowStretch(row + 1, 1)
        return self

    def add_part(
        self,
        part: str,
        model: type[Part],
        title: str,
        names: tuple[str, ...],
        column: int,
        top: int = 0,
    ) -> "SettingsForm":
        """A column of single settings under a heading, which stands in the row ``top``."""
        self._grid.addWidget(label(title, weight=SEMI), top, column, 1, 2)
        for row, name in enumerate(names, top + 1):
            info = model.model_fields[name]
            path = f"{part}.{name}" if part else name
            self._grid.addWidget(term(info.title or name, f"setting:{path}"), row, column)
            self._add_field(path, row, column + 1, model, name)
        self._grid.setRowStretch(self._grid.rowCount(), 1)
        return self

    def add_paths(self, paths: Iterable[str], column: int = 0, top: int = 0) -> "SettingsForm":
        """A column of settings of any parts, by their paths."""
        for row, path in enumerate(paths, top):
            model, name = _owner(path)
            title = model.model_fields[name].title or name
            whose, _, limit = path.rpartition(".")[0].rpartition(".")
            if whose == "protection":  # every limit has a trip
                title = f"{Protection.model_fields[limit].title}, {title}"
            self._grid.addWidget(term(title, f"setting:{path}"), row, column)
            self._add_field(path, row, column + 1, model, name)
        self._grid.setRowStretch(self._grid.rowCount(), 1)
        return self

    def spacing(self) -> int:
        """Between two rows, px."""
        return self._grid.verticalSpacing()

    def add_widget(self, widget: QWidget, row: int, column: int) -> None:
        """Something else between the fields."""
        self._grid.addWidget(widget, row, column)

    def _add_field(self, path: str, row: int, column: int, model: type[Part], name: str) -> None:
        info = model.model_fields[name]
        choices = _choices(info.annotation)
        if choices:
            box = QComboBox()
            for value in choices:
                words = "not said" if value is None else str(value).replace("_", " ")
                box.addItem(UNITS.text(words), value)
            box.setToolTip(UNITS.text(info.description or ""))
            box.setAccessibleName(UNITS.text(info.title or name))
            box.activated.connect(self._chosen)
            self._place(box, path, row, column)
            return
        if str in (info.annotation, *get_args(info.annotation)):
            line = QLineEdit()
            line.setMaxLength(200)
            line.setMaximumWidth(200)
            line.setAccessibleName(UNITS.text(info.title or name))
            line.setToolTip(UNITS.text(info.description or ""))
            line.setProperty("optional", type(None) in get_args(info.annotation))
            line.editingFinished.connect(self._written)
            self._place(line, path, row, column)
            return
        field = UnitField(
            unit_of(name),
            info.title or name,
            info.description or "",
            optional=not info.is_required() and info.default is None,
        )
        field.setProperty("whole", info.annotation is int)
        field.entered.connect(self._entered)
        self._place(field, path, row, column)

    def _place(self, field: Field, path: str, row: int, column: int) -> None:
        field.setProperty("path", path)
        # a part of which nothing must be entered begins with the first value
        holder = _owner(path)[0].model_fields.values()
        field.setProperty("free", not any(info.is_required() for info in holder))
        self._fields[path] = field
        self._grid.addWidget(field, row, column)

    @Slot(object)
    def _entered(self, value: float | None) -> None:
        field = self.sender()
        whole = field.property("whole") and value is not None and value == int(value)
        self.entered.emit(
            field.property("path"), int(value) if whole and value is not None else value
        )

    @Slot()
    def _written(self) -> None:
        line = self.sender()
        assert isinstance(line, QLineEdit)
        text = line.text().strip()
        if line.isModified() and (text or line.property("optional")):
            line.setModified(False)
            self.entered.emit(line.property("path"), text or None)

    @Slot(int)
    def _chosen(self, _: int) -> None:
        box = self.sender()
        assert isinstance(box, QComboBox)
        self.entered.emit(box.property("path"), box.currentData())

    def show_setup(self, setup: Setup) -> None:
        """Show the values; a part that is left out shows empty fields that cannot be typed into."""
        self._say_usual(setup)
        for path, field in self._fields.items():
            parent, _, _ = path.rpartition(".")
            there = not parent or get(setup, parent) is not None
            _mark_own(field, path in setup.own)
            field.setEnabled(there or bool(field.property("free")))
            value = get(setup, path) if there else None
            if isinstance(field, UnitField):
                field.context = Context(setup.capacity_ah, path.startswith(OF_PACK))
                field.set_value(value)
            elif isinstance(field, QComboBox):
                field.setCurrentIndex(max(0, field.findData(value)))
            elif not field.isModified():
                field.setText("" if value is None else str(value))
                field.setCursorPosition(0)

    def _say_usual(self, setup: Setup) -> None:
        """Usual values for this pack with their sources; made anew only when the pack is
        another.
        """
        pack = (
            setup.chemistry,
            setup.cells_in_series,
            setup.capacity_ah,
            setup.packs_in_parallel,
            setup.balancer.kind if setup.balancer else "",
        )
        if pack == self._pack:
            return
        self._pack = pack
        for path, field in self._fields.items():
            found = usual_value(setup, path) if isinstance(field, UnitField) else None
            if isinstance(field, UnitField):
                field.set_usual(
                    f"Usual: {format_quantity(float(str(found[0])), field.unit)} ({found[1]})"
                    if found
                    else ""
                )


def _mark_own(field: QWidget, own: bool) -> None:
    """A value that only this pack has is seen as such."""
    if dress(field, "own", own):
        field.setStatusTip(UNITS.text("Only this pack has this value" if own else ""))


def _owner(path: str) -> tuple[type[Part], str]:
    """The part that holds a setting, and its name there."""
    *parts, name = [step for step in path.split(".") if not step.isdigit()]
    model: type[Part] = Setup
    for step in parts:
        inner = _model(model.model_fields[step].annotation)
        assert inner
        model = inner
    return model, name


def _model(annotation: Any) -> type[Part] | None:
    for option in (annotation, *get_args(annotation)):
        if isinstance(option, type) and issubclass(option, Part):
            return option
    return None


def paths_of_limit(name: str) -> list[str]:
    """The settings of a protection that has several, or the one that it is."""
    model = _model(Protection.model_fields[name].annotation)
    whole = f"protection.{name}"
    return [f"{whole}.{field}" for field in model.model_fields] if model else [whole]


def _trip(model: type[Part]) -> str:
    """The field of a limit that names what it is about."""
    return next(name for name, field in model.model_fields.items() if field.title == "trip")


def _columns(name: str) -> list[str]:
    model = _model(Protection.model_fields[name].annotation)
    return [str(f.title) for f in model.model_fields.values()] if model else []


def _choices(annotation: Any) -> list[Any]:
    """The values of a choice; None first where it may be left out."""
    if get_origin(annotation) is Literal:
        return list(get_args(annotation))
    inner = [a for a in get_args(annotation) if get_origin(a) is Literal]
    return [None, *get_args(inner[0])] if inner else []
