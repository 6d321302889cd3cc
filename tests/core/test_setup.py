"""The setup file: what is refused, with its place, and what comes back unchanged."""

import copy
import json

import jsonschema
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nipper.core import setup as setups
from nipper.core.errors import InputError
from nipper.core.presets import new_setup, usual_value
from nipper.core.rules import check, verdict
from tests.conftest import FILES

EXAMPLE = json.loads((FILES / "synthetic_06.setup.json").read_text())


@given(
    chemistry=st.sampled_from(["lfp", "nmc", "lto"]),
    cells=st.integers(1, 32),
    capacity=st.floats(2, 900).map(lambda c: round(c, 1)),
    packs=st.integers(1, 8),
    balancer=st.sampled_from(["passive", "active", "none"]),
)
def test_five_answers_make_a_setup_that_check_passes(chemistry, cells, capacity, packs, balancer):
    setup = new_setup(chemistry, cells, capacity, packs, balancer)
    assert verdict(check(setup)) == "ok", [f.message for f in check(setup)]
    assert setups.loads(setups.dumps(setup)) == setup


def changed(path: str, value: object) -> dict:
    document = copy.deepcopy(EXAMPLE)
    *parts, name = path.split(".")
    place = document
    for part in parts:
        place = place[part]
    if value is ...:
        del place[name]
    else:
        place[name] = value
    return document


@pytest.mark.parametrize(
    ("path", "value", "expected"),
    [
        ("protection.cell_over_voltage.trip_v", "3.65", "valid number"),
        ("protection.cell_over_voltage.trip_v", ..., "this key, it is missing"),
        ("protection.cell_over_voltage.tripp_v", 3.6, "a known key"),
        ("chemistry", "lead", "'lfp', 'nmc' or 'lto'"),
        ("cells_in_series", 0, "greater than or equal to 1"),
        ("cells_in_series", 16.5, "valid integer"),
        ("capacity_ah", -5.0, "greater than or equal to 0.01"),
        ("capacity_ah", float("nan"), "finite"),
        ("balancer.when", "sometimes", "'charging', 'rest' or 'always'"),
        ("version", 2, "1"),
        ("format", "other", "nipper-setup"),
        ("charging", [], "valid dictionary"),
    ],
)
def test_what_is_no_setup_is_refused_with_its_place(path, value, expected):
    with pytest.raises(InputError) as caught:
        setups.parse(changed(path, value), "pack.json")
    text = str(caught.value)
    assert text.startswith(f"pack.json: {path}: expected ")
    assert expected in text
    assert "\n" not in text


@pytest.mark.parametrize(
    ("text", "place"),
    [
        ("", "line 1 column 1"),
        ('{"chemistry": \n', "line 2 column 1"),
        ('{"a": 1, "a": 2}', "a"),
        ("[1, 2]", "the whole document"),
        ("[" * 100_000, "the whole document"),
    ],
)
def test_broken_json_names_its_place(text, place):
    with pytest.raises(InputError, match=r"expected") as caught:
        setups.loads(text, "pack.json")
    assert caught.value.place == place


def test_files_that_cannot_be_read(tmp_path):
    for name, data, word in (
        ("big.json", b" " * 1_000_001, "at most"),
        ("latin.json", b'{"name": "\xe9"}', "UTF-8"),
        ("none.json", None, "readable"),
    ):
        path = tmp_path / name
        if data is not None:
            path.write_bytes(data)
        with pytest.raises(InputError, match=word):
            setups.load(path)


def test_a_setup_is_never_changed_in_place():
    setup = new_setup("lfp", 16, 280.0)
    other = setups.put(setup, {"protection.cell_over_voltage.trip_v": 3.6, "charging.tail_a": None})
    assert setup.protection.cell_over_voltage.trip_v == 3.65
    assert other.protection.cell_over_voltage.trip_v == 3.6
    assert other.charging
    assert other.charging.tail_a is None
    assert setups.get(other, "protection.cell_over_voltage.trip_v") == 3.6
    assert setups.get(setups.put(setup, {"wiring": None}), "wiring.fuse_a") is None


@pytest.mark.parametrize("number", ["1", "-1", "x", "²", "9" * 5000])
def test_a_path_names_no_item_that_is_not_there(make_setup, number):
    with pytest.raises(InputError, match="a number from 0 to 0"):
        setups.put(make_setup(), {f"other_chargers.{number}.name": "x"})


def test_the_shipped_schema_is_that_of_the_models_and_accepts_what_we_accept():
    schema = setups.json_schema()
    shipped = json.loads((FILES.parent.parent / "docs" / "setup.schema.json").read_text())
    assert shipped == schema
    validator = jsonschema.Draft202012Validator(schema)
    validator.validate(EXAMPLE)
    validator.validate(json.loads(setups.dumps(new_setup("nmc", 20, 50.0))))
    for document in (
        changed("protection.cell_over_voltage.tripp_v", 3.6),
        changed("chemistry", "lead"),
        changed("capacity_ah", -1),
    ):
        with pytest.raises(jsonschema.ValidationError):
            validator.validate(document)


def test_every_usual_value_says_where_it_comes_from():
    setup = new_setup("nmc", 20, 50.0, 2, "active")
    value, source = usual_value(
        setups.put(setup, {"protection.cell_over_voltage.trip_v": 4.0}),
        "protection.cell_over_voltage.trip_v",
    )
    assert (value, source) == (4.2, "common practice")
    assert "IEC 60269" in usual_value(setup, "wiring.fuse_a")[1]
    assert usual_value(setup, "solar.in_series") is None
    assert usual_value(setup, "charging.equalise_v") is None
    for part in ("protection", "balancer", "charging", "wiring", "cell"):
        for path in (
            f"{part}.{name}"
            for name, v in getattr(setup, part).model_dump(exclude_none=True).items()
            if isinstance(v, float)
        ):
            assert usual_value(setup, path), path
