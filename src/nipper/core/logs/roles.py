"""What each column of a table was taken for, and how the user sets it otherwise by hand."""

from collections.abc import Sequence
from dataclasses import replace
from enum import StrEnum
from math import copysign
from typing import Any

from nipper.core.logs.column import unit_written
from nipper.core.logs.mapping import ColumnMapping
from nipper.core.logs.ways import directions_of
from nipper.core.tables.table import Table


class Role(StrEnum):
    """What a column can be."""

    NONE = "none"
    TIME = "time"
    SECOND_TIME = "second_time"
    CELL = "cell"
    CURRENT = "current"
    DISCHARGE = "discharge"
    DIRECTION = "direction"
    POWER = "power"
    PACK = "pack"
    SOC = "soc"
    TEMPERATURE = "temps"
    OTHER_TEMPERATURE = "other_temps"
    BALANCING = "balancing"
    BALANCING_CELL = "balancing_cells"


MANY = {
    Role.CELL: "cells",
    Role.TEMPERATURE: "temps",
    Role.OTHER_TEMPERATURE: "other_temps",
    Role.BALANCING_CELL: "balancing_cells",
}
SCALED = {Role.CURRENT: "A", Role.POWER: "W", Role.PACK: "V"}
ONE = (
    Role.TIME,
    Role.SECOND_TIME,
    Role.CURRENT,
    Role.DISCHARGE,
    Role.DIRECTION,
    Role.PACK,
    Role.SOC,
    Role.BALANCING,
)


def role_of(mapping: ColumnMapping, column: str) -> Role:
    """What a column is taken for."""
    for role, field in MANY.items():
        if column in getattr(mapping, field):
            return role
    for role in ONE:
        if getattr(mapping, role.value) == column:
            return Role.POWER if role is Role.CURRENT and mapping.power else role
    return Role.NONE


def with_role(mapping: ColumnMapping, table: Table, column: str, role: Role) -> ColumnMapping:
    """The mapping with one column taken for something else; cells stay in the table's order."""
    mapping = _without(mapping, column)
    if role is Role.NONE:
        return mapping
    if role in MANY:
        field = MANY[role]
        chosen = {*getattr(mapping, field), column}
        fields: dict[str, Any] = {field: _in_order(mapping, field, table.columns, chosen)}
        unit = unit_written(table, column)
        if role is Role.CELL and not mapping.cells and unit and unit[0] == "V":
            fields["cell_scale"] = unit[1]
    elif role in SCALED:
        fields = _scaled(mapping, table, column, role)
    elif role is Role.DIRECTION:
        fields = {"direction": column, "directions": directions_of(table.text(column))}
    else:
        fields = {role.value: column}
    return replace(mapping, **fields)


def _scaled(mapping: ColumnMapping, table: Table, column: str, role: Role) -> dict[str, Any]:
    """The column and its scale: by the unit that is written, else that of the column before it if
    none is written there either. The sign is kept.
    """
    field = "pack" if role is Role.PACK else "current"
    before, scale = getattr(mapping, field), getattr(mapping, f"{field}_scale")
    unit, size = unit_written(table, column), 1.0
    if unit is not None and unit[0] == SCALED[role]:
        size = unit[1]
    elif before and role_of(mapping, before) is role and unit_written(table, before) is None:
        size = abs(scale)
    fields = {field: column, f"{field}_scale": copysign(size, scale) if before else size}
    return fields if role is Role.PACK else fields | {"power": role is Role.POWER}


def _without(mapping: ColumnMapping, column: str) -> ColumnMapping:
    fields: dict[str, Any] = {
        field: tuple(c for c in getattr(mapping, field) if c != column) for field in MANY.values()
    }
    for role in ONE:
        if getattr(mapping, role.value) == column:
            fields[role.value] = "" if role is Role.TIME else None
    if fields.get("current", "") is None:
        fields["power"] = False
    return replace(mapping, **fields)


def _in_order(
    mapping: ColumnMapping, field: str, columns: Sequence[str], chosen: set[str]
) -> tuple[str, ...]:
    """As they were, with the new one where the table has it; a set order of cells is kept."""
    before = [c for c in getattr(mapping, field) if c in chosen]
    if before != sorted(before, key=columns.index):
        return (*before, *(c for c in columns if c in chosen and c not in before))
    return tuple(c for c in columns if c in chosen)
