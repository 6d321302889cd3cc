"""Packs in parallel as a resistor network, against other ways of solving it."""

import json

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.linalg import lstsq

from nipper.core.presets import new_setup
from nipper.core.setup import pack_setups, put
from nipper.core.wiring.chain import BETWEEN, chain
from nipper.core.wiring.drops import drops, sag_v
from nipper.core.wiring.fusechoice import main_fuse, pack_fuse
from nipper.core.wiring.network import Row, bar, flow
from nipper.core.wiring.sharing import lead_ohm, leads_ohm, path_ohm, shared, shares
from tests.conftest import REFERENCE

OHM = st.floats(1e-4, 0.1)


def by_meshes(row: Row, load_a: float, rest_v: list[float]) -> np.ndarray:
    """Another way: Kirchhoff's loops instead of nodes. One equation of the sum of currents, and one
    for each loop of two neighbours: their voltages less drops over packs and both rails are equal.
    """
    n = len(row.own_ohm)
    rows, right = [np.ones(n)], [load_a]
    for k in range(n - 1):
        loop = np.zeros(n)
        loop[k] = -row.own_ohm[k]
        loop[k + 1] = row.own_ohm[k + 1]
        beyond = np.array([1.0 if i > k else 0.0 for i in range(n)])
        before = 1.0 - beyond
        loop += row.between_ohm[k] * beyond  # plus is taken at the first
        if row.minus_at == 0:
            loop += row.between_ohm[k] * beyond
        else:  # minus at the last: the minus rail carries what lies before
            loop -= row.between_ohm[k] * before
        rows.append(loop)
        right.append(rest_v[k + 1] - rest_v[k])
    return lstsq(np.array(rows), np.array(right))[0]


@given(
    own=st.lists(OHM, min_size=2, max_size=7),
    between=st.lists(OHM, min_size=6, max_size=6),
    rest=st.lists(st.floats(40.0, 58.0), min_size=7, max_size=7),
    load_a=st.floats(-500.0, 500.0),
    diagonal=st.booleans(),
)
def test_nodes_and_loops_agree(own, between, rest, load_a, diagonal):
    row = Row(tuple(own), tuple(between[: len(own) - 1]), len(own) - 1 if diagonal else 0)
    rests = rest[: len(own)]
    found = flow(row, load_a, rests)
    assert found.packs_a == pytest.approx(by_meshes(row, load_a, rests), rel=1e-6, abs=1e-5)
    assert sum(found.packs_a) == pytest.approx(load_a, abs=1e-6)


@given(own=st.lists(OHM, min_size=1, max_size=8), load_a=st.floats(-500.0, 500.0))
def test_on_a_bar_currents_go_by_conductance(own, load_a):
    found = flow(bar(own), load_a)
    g = 1.0 / np.array(own)
    assert found.packs_a == pytest.approx(load_a * g / g.sum(), abs=1e-9)


def test_two_packs_at_the_same_end_by_hand():
    """Ten milliohm each and one milliohm in each rail between: 12 against 10."""
    found = flow(Row((0.010, 0.010), (0.001,)), 110.0)
    assert found.packs_a == pytest.approx((60.0, 50.0))
    assert found.plus_a == pytest.approx((50.0,))
    assert found.minus_a == pytest.approx((50.0,))
    assert found.terminal_v == pytest.approx(-0.6)


def test_two_packs_taken_off_diagonally_are_even():
    found = flow(Row((0.010, 0.010), (0.001,), minus_at=1), 110.0)
    assert found.packs_a == pytest.approx((55.0, 55.0))


def test_a_pack_that_is_off_leaves_its_rails():
    row = Row((0.010, 0.010, 0.010), (0.001, 0.001))
    found = flow(row, 100.0, gone=(1,))
    assert found.packs_a[1] == 0.0
    # 10 against 10 + 4 x 1 milliohm
    assert found.packs_a[0] == pytest.approx(100.0 * 14 / 24)


def test_in_rows_the_known_pattern_of_shares(make_setup):
    """Four alike: falling away from the take-off; diagonally the outer two carry more, alike."""
    four = put(make_setup(), {"packs_in_parallel": 4, "wiring.joined": "same_end"})
    near = [a for a, _ in shares(pack_setups(four))]
    assert near == sorted(near, reverse=True)
    assert near[0] > 1.1 * near[3]
    across = put(four, {"wiring.joined": "diagonal"})
    a, b, c, d = (share for share, _ in shares(pack_setups(across)))
    assert a == pytest.approx(d)
    assert b == pytest.approx(c)
    assert a > b
    star = put(four, {"wiring.joined": "busbar"})
    assert [s for s, _ in shares(pack_setups(star))] == pytest.approx([0.25] * 4)


def test_leads_that_share_alike_on_a_bar(make_setup):
    row = put(make_setup(), {"packs_in_parallel": 3, "wiring.joined": "same_end"})
    packs = pack_setups(row)
    cells = [path_ohm(p) - lead_ohm(p) for p in packs]
    g = 1.0 / (np.array(leads_ohm(packs)) + np.array(cells))
    assert g / g.sum() == pytest.approx([s for s, _ in shares(packs)], rel=1e-9)


def test_drops_and_heat_agree_with_the_reference(make_setup):
    """tests/reference/wiring_examples.json: ideal copper at 20 degC."""
    examples = json.loads((REFERENCE / "wiring_examples.json").read_text())
    rows = [r for r in examples["voltage_drop"]["rows"] if r["conductor_c"] == 20]
    assert rows
    for row in rows:
        setup = put(
            make_setup(),
            {
                "wiring.cable_mm2": float(row["area_mm2"]),
                "wiring.cable_length_m": row["one_way_m"],
            },
        )
        found = drops(setup, row["current_a"], chain(setup, "discharge"))
        lead = next(d for d in found if d.part == "pack lead")
        assert lead.mv / 1e3 == pytest.approx(row["drop_v_ideal"], rel=1e-4)
        # stranded copper of the reference has more resistance than solid
        assert lead.heat_w == pytest.approx(row["heat_w_class5"], rel=0.12)


def test_the_sag_is_the_sum_of_the_drops(make_setup):
    setup = put(
        make_setup(),
        {
            "wiring.main_fuse_a": 250.0,
            "wiring.switch_a": 300.0,
            "wiring.main_cable_mm2": 70.0,
            "wiring.main_cable_length_m": 2.0,
        },
    )
    found = drops(setup, 120.0, chain(setup, "discharge"))
    assert sag_v(setup, 120.0) == pytest.approx(sum(d.mv for d in found) / 1e3, rel=1e-6)


def test_fuses_agree_with_the_reference(make_setup):
    """tests/reference/wiring_examples.json: 1.25 times what flows for long."""
    examples = json.loads((REFERENCE / "wiring_examples.json").read_text())["fuse"]["rows"]
    for row in examples:
        found = pack_fuse(pack_setups(make_setup()), row["continuous_load_a"])
        assert found.least_a == pytest.approx(row["need_a"])
        assert all(f >= row["need_a"] for f in found.fits_a)


def test_no_fuse_fits_where_the_lead_is_too_thin(make_setup):
    setup = put(make_setup(), {"wiring.main_cable_mm2": 35.0})
    assert main_fuse(setup, 200.0).fits_a == ()


def test_the_chain_knows_switch_bar_connector_and_the_lead_between(make_setup):
    setup = put(
        make_setup(),
        {
            "packs_in_parallel": 3,
            "wiring.joined": "same_end",
            "wiring.between_mm2": 35.0,
            "wiring.switch_a": 275.0,
            "wiring.busbar_mm2": 150.0,
            "wiring.connector_a": 175.0,
        },
    )
    found = chain(setup, "discharge")
    by = {p.part: p for p in found.parts}
    assert by["busbar"].limit_a == pytest.approx(225.0)
    assert by["battery switch"].limit_a == 275.0
    assert by["connector"].of == "pack"
    busiest = max(shared(pack_setups(setup)).plus_a)
    assert by[BETWEEN].limit_a == pytest.approx(160.0 / busiest, abs=0.1)
    assert found.weakest == "busbar"
    assert found.limit_a == pytest.approx(225.0)


def test_unlike_packs_in_a_row_end_at_the_one_that_is_full_first():
    setup = put(
        new_setup("lfp", 16, 280.0, 2),
        {"packs": [{"name": "A"}, {"name": "B", "capacity_ah": 100.0, "cell": None}]},
    )
    found = chain(setup, "discharge")
    assert found.limit_a is not None
    even = chain(new_setup("lfp", 16, 280.0, 2), "discharge")
    assert even.limit_a is not None
    assert found.limit_a < even.limit_a
