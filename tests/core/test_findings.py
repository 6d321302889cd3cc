"""What every finding owes the user, over all cases the rules' tests know and all ten beginners: a
place, a reason, a source, a cure that can stand.
"""

from itertools import chain

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nipper.core.findings import Finding, Severity
from nipper.core.presets import new_setup
from nipper.core.report import rulebook
from nipper.core.report.consequence import Status, of_finding, protect_sentence
from nipper.core.rules import ALL_RULES, RULES, check, verdict
from nipper.core.rules.base import sheet_max_v, sheet_min_v
from nipper.core.setup import Setup, get, json_schema, put
from tests.conftest import FILES
from tests.core.beginners import BEGINNERS
from tests.core.test_rules import BAD, NOTES

CHANGES = list(chain(chain.from_iterable(BAD.values()), chain.from_iterable(NOTES.values())))


def known_paths() -> set[str]:
    """Every path of the setup file, from its schema; items of lists by ``*``."""
    schema = json_schema()
    found: set[str] = set()

    def walk(node: dict, at: str) -> None:
        for choice in (node, *node.get("anyOf", ())):
            option = (
                schema["$defs"][choice["$ref"].rpartition("/")[2]] if "$ref" in choice else choice
            )
            if "items" in option:
                walk(option["items"], f"{at}.*")
            for name, inner in option.get("properties", {}).items():
                path = f"{at}.{name}" if at else name
                found.add(path)
                walk(inner, path)

    walk(schema, "")
    return found


PATHS = known_paths()


def general(path: str) -> str:
    return ".".join("*" if part.isdigit() else part for part in path.split("."))


def holds(found: Finding, setup: Setup) -> None:
    assert found.settings, found
    assert all(general(p) in PATHS for p in found.settings), found.settings
    assert (
        found.message.endswith(".") and found.message[0] == found.message[0].upper()
    ) or found.message[0].isdigit(), found.message
    assert len(found.why) > 20 and found.why.endswith((".", ".)")), found.why
    assert found.source
    assert "nan" not in found.message.lower().split()
    assert "None" not in found.message + found.why
    if found.suggestion:
        assert found.suggestion_label, found.code
        assert all(general(p) in PATHS for p in found.suggestion), found.suggestion
        cured = put(setup, found.suggestion)
        assert cured != setup, found.code  # a button that changes nothing is none
        assert cured.protection.cell_over_voltage.trip_v <= max(
            sheet_max_v(cured), setup.protection.cell_over_voltage.trip_v
        )
        assert cured.protection.cell_under_voltage.trip_v >= min(
            sheet_min_v(cured), setup.protection.cell_under_voltage.trip_v
        )


@pytest.mark.parametrize("changes", CHANGES, ids=lambda c: next(iter(c), "as it is"))
def test_every_case_of_the_rules_yields_findings_that_can_be_read_and_applied(make_setup, changes):
    setup = put(make_setup(), changes)
    for found in check(setup):
        holds(found, setup)


@pytest.mark.parametrize("make", BEGINNERS, ids=lambda m: m.__name__)
def test_a_beginners_findings_can_be_read_and_applied(make):
    setup = make()
    for found in check(setup):
        holds(found, setup)
        told = of_finding(found)
        assert told.lead
        assert (told.status is Status.ACT) is (found.severity is Severity.ERROR)
        hash(told)  # What follows keeps its entries by them


@given(
    st.sampled_from(["lfp", "nmc", "lto"]),
    st.integers(1, 32),
    st.floats(1.0, 1500.0),
    st.integers(1, 8),
    st.sampled_from(sorted({p for c in CHANGES for p in c})),
    st.sampled_from([0.3, 0.7, 1.4, 3.0, -1.0]),
)
def test_no_setting_turned_however_far_breaks_a_rule(
    chemistry, cells, capacity, packs, path, factor
):
    """Rules must judge what no sound mind would set: they are there for it."""
    setup = new_setup(chemistry, cells, round(capacity, 1), packs)
    value = get(setup, path)
    if not isinstance(value, float | int) or isinstance(value, bool):
        return
    turned = round(value * factor, 3)
    if turned <= 0.0 and not path.endswith("_c"):
        return
    if path.endswith("_c"):
        turned = max(-60.0, min(100.0, turned))
    most = {"packs_in_parallel": 64, "cells_in_series": 200}
    if path in most:
        turned = min(most[path], max(1, int(turned)))
    setup = put(setup, {path: turned})
    for found in check(setup):
        assert found.message
        if found.suggestion:
            put(setup, found.suggestion)


def test_the_rail_counts_what_is_wrong(make_setup):
    assert protect_sentence(check(make_setup()))[0] is Status.OK
    two = put(
        make_setup(), {"protection.cell_over_voltage.release_v": 3.70, "balancer.delta_mv": 1.0}
    )
    status, words = protect_sentence(check(two))
    assert status is Status.ACT
    assert words == "1 contradiction, 1 doubt"
    assert verdict(check(two)) == "fix"


def test_the_list_of_rules_is_in_the_order_of_the_work_and_has_no_twin():
    codes = [r.code for r in RULES]
    assert len(codes) == len(set(codes)) == 98
    everyone = [r.code for r in ALL_RULES]
    assert len(everyone) == len(set(everyone)) == 104
    assert (
        codes.index("over-voltage-release-above-trip")
        < codes.index("charging-below-freezing")
        < codes.index("pv-string")
        < codes.index("link-time-out")
    )


def test_the_book_of_rules_is_that_of_the_code():
    shipped = (FILES.parent.parent / "docs" / "rules.md").read_text()
    assert shipped == rulebook.to_markdown()  # make docs
    told = dict(rulebook.entries())
    assert set(told) == {r.code for r in ALL_RULES}
    assert all(about.endswith(".") and len(about) > 20 for about in told.values())
    assert len(set(told.values())) == len(told)
