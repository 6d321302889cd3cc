"""Another language: what is taken from the source, and how a composed text is found again."""

import ast
import re

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nipper.core.language import files, languages, translate, translator
from nipper.core.language.extract import Message, _Reader, messages, template
from nipper.core.language.files import SHIPPED
from nipper.core.language.pages import in_words
from nipper.core.language.translate import PLACEHOLDER, Entry, Translator, figures
from nipper.core.shown import Dates, Form, as_shown
from tests.core.test_findings import FILES
from tests.pseudo import pseudo


def read(source):
    return [message for message, _ in _Reader().of(ast.parse(source))]


def german(*pairs):
    return Translator(Entry(text, (said,)) for text, said in pairs)


@pytest.fixture(scope="module")
def marked():
    entries = []
    for found in messages():
        text, plural = found.message.text, found.message.plural
        both = (pseudo(text), pseudo(plural)) if plural else (pseudo(text),)
        entries.append(Entry(text, both, plural))
    return Translator(entries)


def test_fixed_words_are_messages_and_keys_are_not():
    assert read('label("Do now")') == [Message("Do now")]
    assert read('settings.value("size_pct")') == []
    assert read('x = {"cell_v": "a cell"}') == [Message("a cell")]
    assert read('"""Documentation."""\ndef f():\n    """More."""') == []
    assert read('run("SELECT id FROM logs")') == []


def test_values_are_placeholders_named_after_what_stands_there():
    assert read('f"trips at {limit.trip_v:.2f} V"') == [Message("trips at {trip_v} V")]
    assert read('f"{a.size} of {b.size} are {len(c)}"') == [Message("{size} of {size2} are {c}")]
    assert read('"charge " + name + " now"') == [Message("charge {name} now")]


def test_a_choice_of_words_is_two_messages_and_an_s_is_a_plural():
    way = read("f\"it is {'warm' if k > 0 else 'cold'} here\"")
    assert {m.text for m in way} == {"it is warm here", "it is cold here", "warm", "cold"}
    assert Message("{n} day", "{n} days") in read("f\"{n} day{'' if n == 1 else 's'}\"")
    assert Message("{n} doubt", "{n} doubts") in read('count(left, "doubt")')
    assert Message("Cell {cells} loses", "Cells {cells} lose") in read('has(c, "loses", "lose")')


def test_the_list_for_translators_is_up_to_date():
    shipped = (FILES.parent.parent / "docs" / "nipper.pot").read_text(encoding="utf-8")
    assert shipped == "\n".join(template(messages())) + "\n", "run make docs"


def test_values_go_where_the_translation_has_them():
    to = german(("From {low} to {high} A the fuse melts", "Die Sicherung schmilzt ab {low} A"))
    assert to.text("From 316 to 320 A the fuse melts.") == "Die Sicherung schmilzt ab 316 A."


def test_a_messages_own_numbers_may_be_others():
    to = german(("5 mV at 5 A, not 3", "bei 5 A 5 mV, nicht 3"))
    assert to.text("5 mV at 5 A, not 3") == "bei 5 A 5 mV, nicht 3"
    assert to.text("7 mV at 7 A, not 2") == "bei 7 A 7 mV, nicht 2"
    # which of two is which, where the message has equal ones, nobody knows
    assert to.text("7 mV at 9 A, not 2") == "7 mV at 9 A, not 2"


def test_what_stands_in_a_value_is_translated_too():
    to = german(("{who} stops it", "{who} hält es an"), ("the charger", "der Lader"))
    assert to.text("The charger stops it") == "Der Lader hält es an"
    assert to.left("The charger stops it") == 0


def test_a_text_of_several_messages_is_divided_at_its_seams():
    to = german(("not proven", "nicht bewiesen"), ("{n} days over", "{n} Tage überfällig"))
    assert to.text("3 days over; not proven.\nNot proven") == (
        "3 Tage überfällig; nicht bewiesen.\nNicht bewiesen"
    )


def test_the_longest_message_is_meant():
    to = german(
        ("Read the settings back", "Die Einstellungen zurücklesen"),
        ("read {each}", "{each} gelesen"),
        ("the settings", "Einstellungen"),
        ("back", "zurück"),
        ("{span} over", "{span} überfällig"),
        ("{n} months", "{n} Monate"),
    )
    assert to.text("Read the settings back: 5 months over.") == (
        "Die Einstellungen zurücklesen: 5 Monate überfällig."
    )


def test_what_is_counted_is_counted():
    to = Translator(
        [Entry("{who} trips", ("{who} schaltet ab",)),
         Entry("{n} trip", ("{n} Abschaltung", "{n} Abschaltungen"), "{n} trips")]
    )  # fmt: skip
    assert to.text("0 trips") == "0 Abschaltungen"
    assert to.text("North trips") == "North schaltet ab"


def test_a_plural_has_as_many_forms_as_the_language():
    three = ("{n} день", "{n} дня", "{n} дней")
    form = files._form({"Plural-Forms": "nplurals=3; plural=(n%10==1 && n%100!=11 ? 0 : 2);"})
    to = Translator([Entry("{n} day", three, "{n} days")], form)
    assert [to.text(t) for t in ("1 day", "21 days", "5 days")] == ["1 день", "21 день", "5 дней"]


def test_a_name_is_in_no_language():
    to = german(("north", "Nord"), ("cells of {name}", "Zellen von {name}"), ("pack", "Packen"))
    assert to.text("Cells of North.") == "Zellen von Nord."
    to.keep(["North", "North pack 2"])
    assert to.text("Cells of North.") == "Zellen von North."
    assert to.text("cells of North pack 2") == "Zellen von North pack 2"
    assert to.text("at 52° north") == "at 52° Nord"


def test_what_no_message_covers_stays_as_it_is():
    to = german(("cell", "Zelle"))
    for text in ("", "Quarry Lane", "3.45 V", "{not a place}", "<b>Quarry</b>", "\n"):
        assert to.text(text) == text


def test_markup_stays_and_what_it_escapes_is_read():
    to = german(("the charger's target", "das Ziel des Laders"))
    assert to.text("<p>The charger&#x27;s target</p>") == "<p>Das Ziel des Laders</p>"
    assert to.text("<p>x &lt; y</p>") == "<p>x &lt; y</p>"


def test_a_page_keeps_its_marks():
    page = "# Title\n\n1. **A point**: goes\n   on.\n\nAnd so\non.\n\n> A caution."
    said = "# TITLE\n\n1. **A POINT**: GOES ON.\n\nAND SO ON.\n\n> A CAUTION."
    assert in_words(page, str.upper) == said


@settings(max_examples=40)
@given(st.sampled_from(messages()), st.lists(st.integers(0, 99_999), min_size=9, max_size=9))
def test_no_number_is_lost_or_turned(marked, found, numbers):
    """Every message that is filled with numbers is found again, and has the same numbers."""
    values = iter(numbers)
    text = PLACEHOLDER.sub(lambda _: str(next(values, 7)), found.message.text)
    said = marked.text(text)
    assert sorted(re.findall(r"\d+", said)) == sorted(re.findall(r"\d+", text))


@given(st.text(max_size=200))
def test_any_text_is_survived(marked, text):
    marked.text(text)


OWN_WORDS = (
    "Bought at the market and put to the others with a load of 20 A after a week in the cold or "
    "at 5 °C, then charged at 3.4 V to the others and rested to the next day at 20 °C with the "
    "balancer off and on, and measured with the meter at each cell to see whether it was at the "
    "same volts or not, and after that to the top again at 10 A with the lid open"
)


@pytest.mark.parametrize(
    "text", [OWN_WORDS, "cell to cell " * 150, "cells and " * 200, "1 to 2 at 3 after " * 100]
)
def test_somebodys_own_words_are_looked_through_within_reason(text):
    """One note took minutes of the window, another ended in a RecursionError."""
    german = translator("de")
    assert german is not None
    said = german.text(text)
    assert re.findall(r"\d+", said) == re.findall(r"\d+", text)


def test_what_is_too_much_as_a_whole_is_looked_up_by_its_sentences(monkeypatch):
    monkeypatch.setattr(translate, "MOST_LOOKED_AT", 4)
    to = german(("not proven", "nicht bewiesen"), ("{a} and {b}", "{a} und {b}"))
    assert to.text("Not proven. x and y and z and v and w.") == (
        "Nicht bewiesen. x and y and z and v and w."
    )


def test_paragraphs_are_looked_up_one_by_one():
    to = german(("not proven", "nicht bewiesen"), ("proven", "bewiesen"))
    assert to.text("Not proven.\n\n\nProven") == "Nicht bewiesen.\n\n\nBewiesen"
    assert to.text("\n\n") == "\n\n"
    assert to.left("Proven\n\nQuarry Lane") == 2


def test_messages_that_differ_in_the_names_of_their_values_are_one():
    to = german(("{low} to {high} V", "{low} bis {high} V"), ("{a} to {b} V", "{a} bis {b} V"))
    assert to.text("3 to 4 V") == "3 bis 4 V"
    assert len(to._by_word["to"]) == 1


def test_dates_and_marks_are_the_readers_in_any_language(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    translator.cache_clear()
    form = Form(language="de", dates=Dates.POINTS, comma=True)
    assert as_shown("Last noted 7 Jul 2026: shown pale in the fields.", form) == (
        "Zuletzt vermerkt 07.07.2026: blass in den Feldern."
    )
    assert as_shown("trips at 3.65 V", form) == "schaltet ab bei 3,65 V"


# files


def write(folder, code, *lines):
    (folder / "nipper" / "languages").mkdir(parents=True, exist_ok=True)
    head = ['msgid ""', 'msgstr ""', '"Content-Type: text/plain; charset=UTF-8\\n"', ""]
    (folder / "nipper" / "languages" / f"{code}.po").write_text("\n".join([*head, *lines]))


@pytest.fixture
def own(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    translator.cache_clear()
    yield tmp_path
    translator.cache_clear()


def test_a_language_of_ones_own_is_found_beside_the_shipped(own):
    write(own, "nl", '"X-Language-Name: Nederlands\\n"', 'msgid "cell"', 'msgstr "cel"')
    assert languages()["de"] == "Deutsch"
    assert "nl" in languages()
    assert translator("nl").text("Cell") == "Cel"


def test_an_entry_that_would_lose_a_value_is_left_out(own):
    write(own, "nl", 'msgid "at {trip_v} V"', 'msgstr "bij {release_v} V"')
    assert translator("nl").text("at 3.65 V") == "at 3.65 V"
    write(own, "fr", "#, fuzzy", 'msgid "cell"', 'msgstr "celle"')
    assert translator("fr").text("cell") == "cell"


@pytest.mark.parametrize("content", [b"\xff\xfe\x00", b'msgid "unclosed', b"", b"\x00" * 999])
def test_a_broken_file_is_no_language(own, content):
    write(own, "nl")
    (own / "nipper" / "languages" / "nl.po").write_bytes(content)
    languages()
    to = translator("nl")
    assert to is None or to.text("cell") == "cell"


@pytest.mark.parametrize("code", ["../../etc/passwd", "de.po", "", "x" * 300, "DE"])
def test_a_code_is_no_path(own, code):
    assert translator(code) is None


def test_plurals_of_a_hostile_file_run_nothing(own):
    form = files._form({"Plural-Forms": "nplurals=2; plural=__import__('os').system('x');"})
    assert (form(1), form(2)) == (0, 1)


def test_german_is_of_this_program_and_nearly_whole():
    import polib

    known = {m.message.text: m.message for m in messages()}
    shipped = polib.pofile(str(SHIPPED / "de.po"))
    assert [e.msgid for e in shipped if e.msgid not in known] == []
    for entry in shipped:
        said = entry.msgstr_plural.values() if entry.msgid_plural else [entry.msgstr]
        for text in said:
            assert set(PLACEHOLDER.findall(text)) == set(PLACEHOLDER.findall(entry.msgid)), text
            assert figures(text) == figures(entry.msgid), text
    spoken = [text for text in known if " " in text]
    done = {e.msgid for e in shipped}
    assert sum(text in done for text in spoken) / len(spoken) > 0.97


UNIT = re.compile(
    r"(\{\w+\}|\d[\d.]*)[ -]?((?:mV|kV|V|mAh|Ah|kA|mA|A(?! lead)|kWh|kW|W|mΩ|kΩ|Ω|°C|K|mm²|m|"
    r"µs|ms|s|min|h|kbit/s|bit/s|%|C|°|Nm|MB)(?![\w/]))"
)


def test_german_has_every_value_in_its_unit():
    import polib

    for entry in polib.pofile(str(SHIPPED / "de.po")):
        said = entry.msgstr_plural.values() if entry.msgid_plural else [entry.msgstr]
        for text in said:
            assert sorted(UNIT.findall(text)) == sorted(UNIT.findall(entry.msgid)), text


def test_german_keeps_every_number(own):
    to = translator("de")
    for found in messages()[::7]:
        text = PLACEHOLDER.sub("12345", found.message.text)
        assert to.text(text).count("12345") == text.count("12345"), text


def test_degrees_are_the_readers_in_any_language(own):
    said = as_shown(
        "Charging stops below 2 °C: a pack at room temperature is not charged.",
        Form(language="de", fahrenheit=True),
    )
    assert said.startswith("Die Ladung endet unter 35.6 °F: ein Pack bei Zimmertemperatur")


def test_a_text_that_would_stay_half_english_is_left_english():
    to = german(("of", "von"), ("another", "ein anderer"))
    assert to.text("voltages of another chemistry entirely") == (
        "voltages of another chemistry entirely"
    )


def test_a_mark_that_is_no_markup_stays_and_links_are_kept():
    to = german(
        ("under", "unter"), ("See {value}.", "Siehe {value}."), ("sense lead", "Messleitung")
    )
    assert to.text("under; <") == "unter; <"
    assert (
        to.text("See [sense lead](<word:sense lead>).") == "Siehe [Messleitung](<word:sense lead>)."
    )


def test_a_noun_keeps_its_capital_within_a_sentence():
    """ "… muss wieder an zellen 5 und 7 enden"."""
    german = translator("de")
    assert german is not None
    text = "A full discharge at modest current from a level top must end at cells 5 and 7 again."
    assert "an Zellen 5 und 7 enden" in german.text(text)
