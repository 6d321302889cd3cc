"""The one reader of JSON: whatever a stranger wrote, one line with its place."""

import os

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nipper.core import documents
from nipper.core.errors import InputError
from nipper.core.link.registers import load_map
from nipper.core.presets import new_setup
from nipper.core.report.typingsheet import load_menu
from nipper.core.setup import Setup, dumps, get, is_path, load, put
from nipper.core.simulate import scenario

LOADERS = (load, scenario.load, load_menu, load_map)
BASE = new_setup("lfp", 16, 280.0)
TWO = put(
    BASE,
    {
        "other_chargers": [
            {"name": "shore", "absorption_v": 56.0, "max_charge_a": 20.0},
            {"name": "generator", "absorption_v": 55.0, "max_charge_a": 30.0},
        ]
    },
)


@pytest.mark.parametrize("reader", LOADERS)
@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "line 1 column 1"),
        ("[" * 100_000, "nesting"),
        ("9" * 5000, "fewer digits"),
        ('{"version": ' + "9" * 5000 + "}", "fewer digits"),
        ('{"a": 1, "a": 2}', "stands twice"),
        ("null", "the whole document"),
        (" " * 1_000_001, "at most 1000000 bytes"),
        ('{"name": "\\ud800"}', "expected"),
    ],
)
def test_every_reader_refuses_nonsense_in_one_line(tmp_path, reader, text, words):
    file = tmp_path / "strange.json"
    file.write_text(text)
    with pytest.raises(InputError, match=words) as caught:
        reader(file)
    assert "\n" not in str(caught.value)
    assert len(str(caught.value)) < 1000


@pytest.mark.parametrize("reader", LOADERS)
def test_what_is_no_file_is_refused(tmp_path, reader):
    pipe = tmp_path / "pipe.json"
    os.mkfifo(pipe)
    for path in (pipe, "/dev/zero", tmp_path, tmp_path / "none.json", "a\0b.json"):
        with pytest.raises(InputError, match="expected"):
            reader(path)
    bytes_ = tmp_path / "latin.json"
    bytes_.write_bytes('{"name": "Käfig"}'.encode("latin-1"))
    with pytest.raises(InputError, match="UTF-8"):
        reader(bytes_)


@given(st.text(max_size=200))
def test_any_text_is_a_document_or_an_error(text):
    try:
        documents.checked(Setup, documents.parse_json(text, "a.json"), "a.json")
    except InputError as error:
        found = str(error)
    assert found.startswith("a.json: ")


def test_a_misspelling_within_a_list_names_its_place():
    text = dumps(TWO).replace('"name": "generator"', '"nmae": "generator"')
    with pytest.raises(InputError, match=r"other_chargers\.1\.nmae: expected a known key.*name"):
        documents.checked(Setup, documents.parse_json(text, "a.json"), "a.json")


# settings by their path


def test_a_path_enters_lists():
    assert get(TWO, "other_chargers.1.max_charge_a") == 30.0
    assert get(TWO, "other_chargers.2.max_charge_a") is None
    changed = put(TWO, {"other_chargers.1.float_v": 54.0})
    assert changed.other_chargers[1].float_v == 54.0
    assert changed.other_chargers[0] == TWO.other_chargers[0]
    assert put(changed, {"other_chargers.1.float_v": None}) == TWO
    assert put(TWO, {"other_chargers.1": None}).other_chargers == TWO.other_chargers[:1]
    third = {"other_chargers.2": {"absorption_v": 54.4, "max_charge_a": 5.0}}
    assert put(TWO, third).other_chargers[2].max_charge_a == 5.0
    assert put(BASE, {"charging.rates": [{"from_c": 0.0, "c_rate": 0.1}]}).charging.rates


@pytest.mark.parametrize(
    "path",
    [
        "capacity_ah.more",
        "other_chargers.x.float_v",
        "other_chargers.7.float_v",
        "other_chargers.-1.float_v",
        "nothing.at_all",
        "",
        ".",
        "name.0",
    ],
)
def test_a_path_that_leads_nowhere_is_refused(path):
    assert is_path(path) == (path == "other_chargers.7.float_v")  # a place there could be
    with pytest.raises(InputError, match="expected"):
        put(TWO, {path: 1.0})


@given(
    absorption_v=st.floats(50.0, 57.0).map(lambda v: round(v, 2)),
    item=st.integers(0, 1),
)
def test_what_is_put_is_got(absorption_v, item):
    path = f"other_chargers.{item}.absorption_v"
    assert get(put(TWO, {path: absorption_v}), path) == absorption_v
