"""What naming a column by hand does to the unit of the current."""

from dataclasses import replace

import polars as pl
import pytest

from nipper.core.logs.mapping import ColumnMapping
from nipper.core.logs.roles import Role, with_role
from nipper.core.tables.table import Table

COLUMNS = ("I [mA]", "I mean [A]", "flow", "draw", "P (kW)", "U", "U (mV)", "c1 mV")
TABLE = Table("log.csv", pl.DataFrame({name: ["1", "2"] for name in COLUMNS}))
IN_MA = ColumnMapping(
    time="t", time_form="iso", cells=(), zone="UTC", current="I [mA]", current_scale=-1e-3
)
BARE = replace(IN_MA, current="flow", current_scale=-0.1)


@pytest.mark.parametrize(
    ("before", "column", "role", "scale"),
    [
        pytest.param(IN_MA, "I mean [A]", Role.CURRENT, -1.0, id="the unit that is written"),
        pytest.param(IN_MA, "flow", Role.CURRENT, -1.0, id="no unit: not that of another column"),
        pytest.param(BARE, "draw", Role.CURRENT, -0.1, id="two without: what was found for one"),
        pytest.param(BARE, "P (kW)", Role.POWER, -1000.0, id="a power by its own unit"),
        pytest.param(BARE, "draw", Role.POWER, -1.0, id="tenths of an ampere are no watts"),
        pytest.param(IN_MA, "P (kW)", Role.CURRENT, -1.0, id="kilowatts are no amperes"),
        pytest.param(replace(IN_MA, current=None), "I [mA]", Role.CURRENT, 1e-3, id="none before"),
    ],
)
def test_the_unit_follows_the_column(before, column, role, scale):
    named = with_role(before, TABLE, column, role)
    assert (named.current, named.power) == (column, role is Role.POWER)
    assert named.current_scale == pytest.approx(scale)


def test_the_pack_and_the_first_cell_bring_their_unit_as_well():
    before = replace(BARE, pack="U", pack_scale=0.01, cells=())
    assert with_role(before, TABLE, "U (mV)", Role.PACK).pack_scale == 1e-3
    assert with_role(before, TABLE, "draw", Role.PACK).pack_scale == 0.01
    assert with_role(before, TABLE, "c1 mV", Role.CELL).cell_scale == 1e-3
    some = replace(before, cells=("U",))  # the scale is that of all
    assert with_role(some, TABLE, "c1 mV", Role.CELL).cell_scale == 1.0
