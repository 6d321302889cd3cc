"""Packs in parallel that differ: their file, their rules, their logs."""

import json

import numpy as np
import pytest

from nipper.core.errors import InputError
from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.link.switches import addresses
from nipper.core.rules import check
from nipper.core.setup import (
    Setup,
    all_alike,
    dumps,
    get,
    loads,
    own_paths,
    pack_names,
    pack_setup,
    parse,
    put,
    put_own,
    unlike,
)
from nipper.core.simulate import trial
from nipper.core.simulate.scenario import Scenario
from nipper.core.wiring.sharing import shares
from tests.conftest import FILES

THREE = [
    {"name": "Top"},
    {"name": "Middle", "capacity_ah": 230.0, "balancer": {"kind": "active", "current_a": 2.0}},
    {"name": "Bottom", "link": {"address": 3}, "protection": {"short_circuit": None}},
]


def document(packs: object = None, **more: object) -> dict[str, object]:
    base = json.loads((FILES / "contract.setup.json").read_text())
    base.pop("packs_in_parallel")
    return base | {"packs": THREE if packs is None else packs} | more


@pytest.fixture(scope="module")
def bank() -> Setup:
    return parse(document())


def test_a_pack_is_its_own_values_over_the_common_ones(bank):
    assert bank.packs_in_parallel == 3
    assert pack_names(bank) == ("Top", "Middle", "Bottom")
    middle, bottom = pack_setup(bank, 1), pack_setup(bank, 2)
    assert (middle.capacity_ah, middle.cell) == (230.0, bank.cell)
    assert middle.balancer.kind == "active"
    assert middle.balancer.start_v == bank.balancer.start_v  # merged key by key
    assert bottom.protection.short_circuit is None  # null takes a part away
    assert bottom.protection.cell_over_voltage == bank.protection.cell_over_voltage
    assert pack_setup(bank, 0).balancer == bank.balancer
    assert bank.bank_ah == middle.bank_ah == 280.0 + 230.0 + 280.0


def test_the_file_reads_back_what_was_written(bank):
    assert loads(dumps(bank)) == bank
    assert json.loads(dumps(bank))["packs"] == THREE


def test_a_part_taken_away_is_not_a_part_left_out():
    one = parse(document([{"balancer": None}, {}]))
    other = parse(document([{}, {}]))
    assert one != other
    assert pack_setup(one, 0).balancer is None


@pytest.mark.parametrize(
    ("packs", "place"),
    [
        ([{"capacity_ah": "x"}], "packs.0.capacity_ah"),
        ([{}, {"chemistry": "lfp"}], "packs.1.chemistry"),
        ([{}, {"cells_in_series": 15}], "packs.1.cells_in_series"),
        ([{"protection": {"cell_over_voltage": {"tripp_v": 3}}}], "cell_over_voltage.tripp_v"),
        ([{"protection": {"charge_over_current": {"trip_a": -3}}}], "charge_over_current.trip_a"),
        ([{"separate_balancer": {"kind": "active"}}], "packs[0].separate_balancer.current_a"),
        ([{"protection": {"cell_over_voltage": None}}], "packs[0].protection.cell_over_voltage"),
        ([{"name": "a"}, {"name": "A"}], "packs[1].name"),
        ({"name": "a"}, "packs"),
    ],
)
def test_a_pack_that_cannot_stand_is_refused_by_its_place(packs, place):
    with pytest.raises(InputError) as caught:
        parse(document(packs))
    assert place in str(caught.value)


def test_the_number_of_packs_must_be_the_length_of_their_list():
    with pytest.raises(InputError, match="packs_in_parallel: expected 3"):
        parse(document(packs_in_parallel=2))
    assert parse(document(packs_in_parallel=3)).packs_in_parallel == 3


def test_one_pack_is_set_apart_and_made_like_the_others_again(bank):
    path = "protection.cell_over_voltage.trip_v"
    one = put_own(bank, 0, {path: 3.6, "charging.float_v": 53.0})
    assert own_paths(one, 0) == [path]
    assert one.charging.float_v == 53.0  # the chargers are everybody's
    assert pack_setup(one, 0).protection.cell_over_voltage.trip_v == 3.6
    assert pack_setup(one, 1).protection.cell_over_voltage.trip_v == 3.65
    back = put_own(one, 0, {path: 3.65})
    assert own_paths(back, 0) == []
    assert not unlike(all_alike(one))
    assert pack_names(all_alike(one)) == ("Top", "Middle", "Bottom")
    plain = parse(document([{}, {}]))
    assert own_paths(put_own(plain, 1, {"balancer": None}), 1) == ["balancer"]


def test_a_path_into_the_list_is_read_and_set(bank):
    assert get(bank, "packs[1].capacity_ah") == 230.0
    assert put(bank, {"packs[1].capacity_ah": 200.0}).packs[1].capacity_ah == 200.0


def test_alike_packs_in_a_list_are_judged_as_packs_without_one():
    listed = check(parse(document([{}, {}, {}])))
    plain = check(parse({**document(), "packs": [], "packs_in_parallel": 3}))
    assert [(f.code, f.settings, f.message) for f in listed] == [
        (f.code, f.settings, f.message) for f in plain
    ]


def codes(packs: list[dict[str, object]], **more: object) -> dict[str, list[tuple[str, ...]]]:
    found: dict[str, list[tuple[str, ...]]] = {}
    for finding in check(parse(document(packs, **more))):
        found.setdefault(finding.code, []).append(finding.settings)
    return found


def test_a_packs_own_mistake_is_found_at_its_own_place():
    path = "protection.cell_over_voltage.trip_v"
    found = codes([{}, {"protection": {"cell_over_voltage": {"trip_v": 3.9}}}, {}])
    assert found["over-voltage-trip-beyond-sheet"] == [(f"packs[1].{path}",)]
    assert len(found["unlike-first-to-leave"]) == 1
    assert "over-voltage-trip-beyond-sheet" not in codes([{}, {}, {}])


def test_a_cure_for_one_pack_goes_to_that_pack_only():
    wrong = parse(document([{}, {"protection": {"cell_over_voltage": {"trip_v": 3.9}}}]))
    finding = next(f for f in check(wrong) if f.code == "over-voltage-trip-beyond-sheet")
    assert finding.message.startswith("Pack B: ")
    cured = put(wrong, finding.suggestion)
    assert "over-voltage-trip-beyond-sheet" not in {f.code for f in check(cured)}
    assert pack_setup(cured, 0) == pack_setup(wrong, 0)


def test_a_mistake_all_packs_share_is_said_once():
    text = document([{}, {"capacity_ah": 230.0}])
    text["protection"]["cell_over_voltage"]["trip_v"] = 3.9
    found = [f for f in check(parse(text)) if f.code == "over-voltage-trip-beyond-sheet"]
    assert [f.settings for f in found] == [("protection.cell_over_voltage.trip_v",)]


def test_equal_addresses_are_an_error_and_their_cure_holds():
    wrong = parse(document([{"link": {"address": 2}}, {"link": {"address": 2}}, {}, {}]))
    for _ in range(4):
        bad = [f for f in check(wrong) if f.code == "unlike-equal-addresses"]
        if not bad:
            break
        wrong = put(wrong, bad[0].suggestion)
    addresses = [pack_setup(wrong, i).link.address for i in range(4)]
    assert len(set(addresses)) == 4


def test_two_hosts_are_an_error_and_the_cure_leaves_one():
    wrong = parse(document([{"link": {"host": True}}, {}, {"link": {"host": True}}, {}]))
    bad = [f for f in check(wrong) if f.code == "unlike-several-hosts"]
    assert len(bad) == 1
    cured = put(wrong, bad[0].suggestion)
    assert not [f for f in check(cured) if f.code == "unlike-several-hosts"]
    assert [a.role for a in addresses(cured)] == ["host", "pack", "pack", "end"]


def test_an_unnumbered_bank_is_not_told_that_its_addresses_are_equal():
    assert "unlike-equal-addresses" not in codes([{}, {"capacity_ah": 230.0}])


def test_shares_follow_resistance_and_capacity():
    bank = parse(
        document([{}, {"capacity_ah": 140.0, "cell": {"resistance_mohm": 0.75}}], wiring=None)
    )
    # by hand: 16 x 0.25 + 2 = 6 mohm beside 16 x 0.75 + 2 = 14 mohm; 280 beside 140 Ah
    (ohm, ah), (other_ohm, other_ah) = shares([pack_setup(bank, 0), pack_setup(bank, 1)])
    assert ohm == pytest.approx(14 / 20)
    assert ah == pytest.approx(2 / 3)
    assert (ohm + other_ohm, ah + other_ah) == pytest.approx((1, 1))


def test_a_pack_that_takes_more_than_it_may_is_told():
    small = {"protection": {"charge_over_current": {"trip_a": 60, "delay_s": 10}}}
    low = {**small, "cell": {"resistance_mohm": 0.1, "max_charge_a": 140, "max_discharge_a": 280}}
    assert "unlike-share-above-limit" in codes([low, {}])
    assert "unlike-share-above-limit" not in codes([{}, {"capacity_ah": 290.0}])


def test_unlike_packs_are_simulated_each_by_its_own():
    packs = [
        {"capacity_ah": 280.0},
        {"capacity_ah": 140.0, "protection": {"cell_over_voltage": {"trip_v": 3.35}}},
    ]
    result = trial.run(parse(document(packs)), Scenario(days=3, seed=4, start_soc_pct=70.0))
    assert {e.pack for e in result.trips if e.protection == "cell_over_voltage"} == {2}
    amps = [np.abs(log.current_a).sum() for log in result.logs]
    assert amps[0] > 1.3 * amps[1]  # the larger pack carries more


def test_the_list_of_alike_packs_runs_as_without_it():
    scenario = Scenario(days=1, seed=3)
    listed = trial.run(parse(document([{}, {}])), scenario)
    plain = trial.run(parse({**document(), "packs": [], "packs_in_parallel": 2}), scenario)
    for one, other in zip(listed.logs, plain.logs, strict=True):
        assert np.array_equal(one.cell_v, other.cell_v)
        assert np.array_equal(one.current_a, other.current_a)


def test_a_leak_hidden_by_an_active_balancer_is_found_by_that_packs_own_setup():
    """The bank bleeds 0.15 A; one pack has an active balancer that levels a leak away."""
    packs = [
        {},
        {"balancer": {"kind": "active", "current_a": 1.0, "start_v": 3.0, "delta_mv": 5,
                      "when": "always"}},
    ]  # fmt: skip
    bank = parse(document(packs))
    faults = [{"pack": 2, "cell": 5, "leak_mah_per_day": 700.0}]
    plan = Scenario.model_validate({"days": 30, "seed": 5, "cells": faults})
    log = trial.run(bank, plan).logs[1]
    found = diagnose(log, pack_setup(bank, 1)).findings
    assert found[0].cause == "self_discharge"
    assert found[0].cells == (5,)
    assert found[0].confidence > 0.5
