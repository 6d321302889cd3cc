"""How texts are shown to this reader: °F for °C, other dates, another language, a decimal comma,
fewer digits.

Whatever is computed, kept, or written for machines has the setup's own units, dates of which the
month is a word, and a decimal point. A text is turned over only where a person looks at it.
"""

import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from enum import StrEnum
from functools import lru_cache

from nipper.core.language import translator


class Dates(StrEnum):
    """Forms of a date, by an example."""

    WORD = "27 Nov 2026"
    ISO = "2026-11-27"
    POINTS = "27.11.2026"
    MONTH_FIRST = "11/27/2026"


@dataclass(frozen=True, slots=True)
class Form:
    """What a reader is used to; as it stands, nothing is changed.

    ``digits``: of numbers with a fraction, the most that are significant; 0 for all. Volts keep
    theirs: a hundredth of a volt is a tenth of a charge. ``c_rates``: fields for a current of a
    pack show it as a share of the pack's capacity an hour. ``language``: a code such as ``de``;
    empty for English.
    """

    fahrenheit: bool = False
    comma: bool = False
    dates: Dates = Dates.WORD
    digits: int = 0
    c_rates: bool = False
    language: str = ""


USUAL = Form()

NUMBER = r"[−+-]?\d+(?:\.\d+)?"
# "2 to 5 °C", "−20 or −40 °C", "8 ± 1 °C": all numbers of the group are temperatures
DEGREES = re.compile(
    rf"(?P<apart>within )?(?<!\d)(?P<numbers>{NUMBER}(?: ?(?:to|or|and|–) ?{NUMBER})*)"
    rf"(?: ± (?P<around>{NUMBER}))? °C(?P<than> (?:warmer|colder|apart)\b)?"
)
KELVIN = re.compile(rf"(?<![\w.])({NUMBER}(?: to {NUMBER})?) K(?![\w/])")
MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
# no version, address or date: those have more than one point
FRACTION = re.compile(r"(?<![\w.])([−+-]?)(\d+)\.(\d+)(?![\d]|\.\d)(?P<unit> m?V\b)?")


SHORT = 400  # letters of what is said again and again


def as_shown(text: str, form: Form) -> str:
    """A text for people, as this reader is used to it."""
    if form == USUAL or not text:
        return text
    return _known(text, form) if len(text) <= SHORT else _turned(text, form)


def _turned(text: str, form: Form) -> str:
    if form.fahrenheit:
        text = KELVIN.sub(_kelvin, DEGREES.sub(_degrees, text))
    if form.language:
        text = _translated_as(text, form)
    if form.dates != Dates.WORD:
        text = _day(form.language).sub(lambda found: _date(found, form), text)
    if form.comma or form.digits:
        text = FRACTION.sub(lambda found: _fraction(found, form), text)
    return text


def _translated(text: str, language: str) -> str:
    """In the reader's language: degrees are turned before, as their patterns know English."""
    to = translator(language)
    return to.text(text) if to else text


def keep_names(names: Iterable[str], form: Form) -> None:
    """The builder's own names, which are translated nowhere."""
    to = translator(form.language)
    if to is not None and to.keep(names):
        _known.cache_clear()


def _translated_as(text: str, form: Form) -> str:
    """Messages speak of °C: where all of a text's degrees were turned, they are called so for the
    while.
    """
    if not form.fahrenheit or "°C" in text or "°F" not in text:
        return _translated(text, form.language)
    return _translated(text.replace("°F", "°C"), form.language).replace("°C", "°F")


@lru_cache(maxsize=4)
def _months(language: str) -> tuple[str, ...]:
    """As a date names them, January first; the language's, then English."""
    return (*(_translated(month, language) for month in MONTHS), *MONTHS)


@lru_cache(maxsize=4)
def _day(language: str) -> re.Pattern[str]:
    names = "|".join(map(re.escape, _months(language)))
    return re.compile(rf"\b(\d{{1,2}}) ({names})[a-z]* (\d{{4}})\b")


@lru_cache(maxsize=4096)
def _known(text: str, form: Form) -> str:
    return _turned(text, form)


def to_fahrenheit(celsius: float) -> float:
    """A temperature; a difference is 1.8 of one."""
    return celsius * 1.8 + 32.0


def _each(numbers: str, change: Callable[[float], float]) -> str:
    """Every number of a group, changed."""

    def one(found: re.Match[str]) -> str:
        value = change(float(found[0].replace("−", "-")))
        return f"{round(value, 1):g}".replace("-", "−")

    return re.sub(NUMBER, one, numbers)


def _degrees(found: re.Match[str]) -> str:
    """One or several temperatures, or a difference of two: "within", "warmer", and what has a
    spread are differences.
    """
    around = found["around"]
    differs = bool(found["apart"] or found["than"] or around)
    numbers = _each(found["numbers"], (lambda k: 1.8 * k) if differs else to_fahrenheit)
    spread = f" ± {_each(around, lambda k: 1.8 * k)}" if around else ""
    return f"{found['apart'] or ''}{numbers}{spread} °F{found['than'] or ''}"


def _kelvin(found: re.Match[str]) -> str:
    return f"{_each(found[1], lambda k: 1.8 * k)} °F"


def _date(found: re.Match[str], form: Form) -> str:
    day, year = int(found[1]), found[3]
    month = _months(form.language).index(found[2]) % len(MONTHS) + 1
    if form.dates == Dates.ISO:
        return f"{year}-{month:02d}-{day:02d}"
    if form.dates == Dates.POINTS:
        return f"{day:02d}.{month:02d}.{year}"
    return f"{month:02d}/{day:02d}/{year}"


def _fraction(found: re.Match[str], form: Form) -> str:
    sign, whole, part, unit = found[1], found[2], found[3], found["unit"] or ""
    if form.digits and not unit:
        kept = max(0, form.digits - (len(whole) if whole != "0" else _after_zeros(part)))
        whole, _, part = f"{float(f'{whole}.{part}'):.{min(kept, len(part))}f}".partition(".")
    mark = "," if form.comma else "."
    return f"{sign}{whole}{mark if part else ''}{part}{unit}"


def _after_zeros(part: str) -> int:
    """By how much fewer digits before the first that counts: 0.05 has two after the point."""
    return len(part.lstrip("0")) - len(part)
