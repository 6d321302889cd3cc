"""How strangers spell their clocks: which form the texts of a column have."""

import re
from collections.abc import Sequence
from functools import lru_cache
from itertools import pairwise

from nipper.core.logs.timeforms import (
    COUNTS,
    DAY_S,
    FAR_APART_S,
    SECONDS_2000,
    SECONDS_2060,
    Order,
    TimeForm,
)
from nipper.core.logs.words import MONTHS, plain
from nipper.core.logs.zones import ZONES

ISO = re.compile(r"\d{4}-\d\d-\d\d([T ]\d\d:\d\d(:\d\d([.,]\d+)?)?\s*(Z|[+-]\d\d:?\d\d)?)?$")
OFFSET = re.compile(r"(Z|[+-]\d\d:?\d\d)$")
NUMBER = re.compile(r"\d+([.,]\d+)?$")
CLOCK_RE = r"(\d{1,5})[:h](\d{2})(?:[:m](\d{2})s?(?:[.,:](\d{1,9}))?)?\s{0,9}([ap]\.?\s?m\.?)?"
BEHIND = (
    r"\s{0,9}(z|utc|gmt|[a-z]{2,5}|(?:utc|gmt)?\s?[+-]\d{1,2}(?::?\d{2})?)?"
    r"\s{0,9}(?:\([^)]*\)|utc|gmt)?"
)
DATE_RE = r"^(\d{1,4})[-/. ]+(\d{1,2})[-/. ,]+(\d{1,4})"
DATED = rf"{DATE_RE}(?:[t,_ \-]|\s?um\s|\s?at\s){{1,40}}{CLOCK_RE}{BEHIND}$"
YEARLESS = rf"^(\d{{1,2}})[ \-.]+(\d{{1,2}})[ ,.]+{CLOCK_RE}$"  # day and month as tidy leaves them
COMPACT = r"^(\d{4})(\d{2})(\d{2})[t _-]?(\d{2}):?(\d{2}):?(\d{2})?()()" + BEHIND + "$"
CLOCK_ONLY = rf"^{CLOCK_RE}{BEHIND}$"
POINTED = r"([01]?\d|2[0-3])\.[0-5]\d\.[0-5]\d"
CLOCK_FIRST = (
    r"^(\d{1,2}:\d{2}(?::\d{2}(?:[.,]\d{1,9})?)?)[ ,]+(\d{1,4}[-/. ]\d{1,2}[-/. ]\d{1,4})$"
)
DAY_POINT_MONTH = re.compile(r"\d{1,2}\. ?\d{1,2}\.,? ")  # nobody writes the month first so
IN_BRACKETS = re.compile(r"\[([^\[\]]+)\]|\(([^()]+)\)|<([^<>]+)>")
DATE_ONLY = re.compile(r"(\d{1,4})[-/. ]+(\d{1,2})[-/. ,]+(\d{1,4})\.?$")
DOTTED_CLOCK = re.compile(r"(?i)(?<=\d)([ t,]|-(?=\d\d\.\d\d\.\d\d$))(\d{1,2})\.(\d{2})\.(\d{2})$")
YEAR_LAST = re.compile(  # as clocks of operating systems print it
    r"^([a-z]{3,}) +(\d{1,2}) +(\d{1,2}:\d\d:\d\d) +([a-z]{2,5} +)?(\d{4})$"
)
DAYS = re.compile(r"^(\d{1,4}) ?d(?:ays?)?,? *(\d{1,2})(?=:\d\d)")
BEHIND_WORD = re.compile(r" {0,9}(uhr|klo|h)$")
ZONE_BEHIND = re.compile(r"(?<=\d)\[[A-Za-z_/+\-0-9]+\]$")  # after an offset that says as much
YEAR_COLON = re.compile(r"(\d{4}):(?=\d\d:\d\d)")
SPACES = str.maketrans("\u00a0\u2009\u202f", "   ", "\u200b\u200e\u200f")
OF = re.compile(r"(?<=[\d.a-z]) (?:de|di|of|del) (?=[\da-z])")  # 3 de março de 2026
# what stands behind years, months, days, hours and minutes in Chinese, Japanese and Korean
SIGNS = (
    (r"[年月년월] *", "-"),
    (r"[日일号] *", " "),
    (r"[时時시点點分분] *", ":"),
    (r"[秒초]", ""),
)
CLOCK_MARKS = re.compile(r":\d\d|\d{8}|\d{5}[.,]\d|\d\.\d\d\.\d|\d[h时時시点點] ?\d")
FEW = 12  # texts that rule a column out


def guess_time_form(texts: Sequence[str | None]) -> TimeForm | None:
    """The likeliest form of a column of times from its rows, or None when it holds no times."""
    forms = possible_forms(texts)
    return forms[0] if forms else None


def possible_forms(texts: Sequence[str | None]) -> list[TimeForm]:
    """The forms all of these texts have, the likelier first; empty when they are no times."""
    if not _promising(texts):
        return []
    clean = [tidy(text) for text in texts if text and text.strip()]
    clean = [text for text in clean if text not in ("nan", "null", "none", "-")]
    if not clean:
        return []
    raw = [text.strip() for text in texts if text and text.strip()]
    if all(ISO.match(text) for text in raw):
        return ["iso"] if any(":" in text for text in raw) else []
    if all(re.match(COMPACT, t) and "2000" <= t[:4] < "2100" for t in clean):
        return ["ymd"]
    if all(NUMBER.match(text) for text in clean):
        form = _numeric_form([float(text.replace(",", ".")) for text in clean])
        return [form] if form else []
    pointed = all(map(DAY_POINT_MONTH.match, clean))
    if (_word_month(raw) or pointed) and all(map(_is_yearless, clean)):
        return ["yearless"]
    parts = [re.match(DATED, text) for text in clean]
    if sum(map(bool, parts)) < 0.9 * len(clean):
        return []
    triples = [(p[1], p[2], p[3]) for p in parts if p]
    marked = ["/" in text for text in clean]
    forms: list[TimeForm] = [o for o in ("dmy", "mdy", "ymd") if _fits(triples, o)]
    pointed = all(re.match(r"\d+\.\d+\.", text) for text in clean)
    if "dmy" in forms and (pointed or _word_month(raw)):  # nobody writes the month first so
        forms.remove("mdy") if "mdy" in forms else None
    if any(p and p[8] for p in parts) or (any(marked) and not _word_month(raw)):
        forms.sort(key="mdy dmy ymd".index)
    return forms


def _is_yearless(text: str) -> bool:
    found = re.match(YEARLESS, text)
    return bool(found) and 1 <= int(found[1]) <= 31 and 1 <= int(found[2]) <= 12


def _promising(texts: Sequence[str | None]) -> bool:
    """Whether a few of the texts can be times at all: most columns are ruled out by them."""
    few = [t.strip() for t in texts[:200] if t and t.strip()][:FEW]
    if not few:
        return any(texts)
    good = [t for t in few if len(t) < 60 and CLOCK_MARKS.search(t)]
    return len(good) >= 0.5 * len(few)


def _word_month(texts: Sequence[str]) -> bool:
    return any(re.search(r"[A-Za-z]{3,}", re.sub(r"(?i)[ap]\.?m\.?", "", text)) for text in texts)


def _fits(triples: Sequence[tuple[str, str, str]], order: Order) -> bool:
    """Whether days, months and years lie in their ranges in nearly all of them."""
    good = 0
    for triple in triples:
        day, month, year = (triple[order.index(letter)] for letter in "dmy")
        years = 2000 <= int(year) < 2100 if len(year) == 4 else 12 <= int(year) <= 60
        years = years and len(year) in (2, 4)
        good += years and 1 <= int(month) <= 12 and 1 <= int(day) <= 31
    return good >= 0.98 * len(triples)


def dates_only(texts: Sequence[str | None]) -> list[Order]:
    """The orders in which all of these texts are dates without a time of day."""
    if len(texts) > FEW and not dates_only(texts[:FEW]):
        return []
    clean = [tidy(text) for text in texts if text and text.strip()]
    if clean and all(re.fullmatch(r"20\d\d(0\d|1[0-2])([0-2]\d|3[01])", text) for text in clean):
        return ["ymd"]
    parts = [DATE_ONLY.match(text) for text in clean]
    if not parts or not all(parts):
        return []
    triples = [(p[1], p[2], p[3]) for p in parts if p]
    orders: list[Order] = [o for o in ("dmy", "mdy", "ymd") if _fits(triples, o)]
    return orders


def clocks_only(texts: Sequence[str | None]) -> bool:
    """Whether all of these texts are times of day, or hours and minutes since a start."""
    if len(texts) > FEW and texts[0] and not clocks_only(texts[:FEW]):
        return False
    clean = [tidy(text) for text in texts if text and text.strip()]
    if clean and all(re.fullmatch(POINTED, text) for text in clean):
        return not dates_only(clean)  # 06.00.00 is no day of any month
    return bool(clean) and all(re.match(CLOCK_ONLY, text) for text in clean)


@lru_cache(8192)  # a sample's texts are asked for each of the forms
def tidy(text: str) -> str:
    """One text of a time as the patterns expect it: names of months as numbers, no weekday."""
    clean = text.strip(" \t'")
    clean = m[m.lastindex or 0] if (m := IN_BRACKETS.fullmatch(clean)) else clean
    clean = ZONE_BEHIND.sub("", clean)
    if not clean.isascii():
        for signs, mark in SIGNS:
            clean = re.sub(signs, mark, clean)
        clean = clean.rstrip(":")
    clean = BEHIND_WORD.sub("", plain_time(clean))
    clean = YEAR_COLON.sub(r"\1 ", OF.sub(" ", clean))
    days = DAYS.match(clean)
    if days:
        return f"{24 * int(days[1]) + int(days[2])}{clean[days.end() :]}"
    clean = re.sub(r"^[a-z]{2,}\.?,?\s+(?=\d|[a-z]{3})", _weekday, clean)
    clean = DOTTED_CLOCK.sub(r"\1\2:\3:\4", clean)
    clean = re.sub(CLOCK_FIRST, r"\2 \1", clean)
    clean = YEAR_LAST.sub(r"\2 \1 \5 \3 \4", clean).rstrip()
    month = re.search(r"[a-z]{3,}", clean)
    if month and month[0] in MONTHS:
        before, behind = clean[: month.start()], clean[month.end() :].removeprefix(".")
        before += "-" * before[-1:].isdigit()  # 03MAR2026
        clean = f"{before}{MONTHS[month[0]]:02d}{'-' * behind[:1].isdigit()}{behind}"
        if month.start() == 0:  # month, day, year
            return re.sub(r"^(\d+)[ .-]+(\d+)(?:st|nd|rd|th)?", r"\2-\1", clean)
    return re.sub(r"^(\d+)(?:st|nd|rd|th|er)\b", r"\1", clean)


def plain_time(text: str) -> str:
    """Lower case and without accents, marks kept."""
    if text.isascii():
        return text.lower()
    return "".join(plain(c) if c.isalpha() else c for c in text).lower().translate(SPACES)


def _weekday(match: re.Match[str]) -> str:
    word = re.sub(r"\W", "", match[0])
    return match[0] if word in MONTHS or word in ZONES else ""


def _numeric_form(values: list[float]) -> TimeForm | None:
    low, high = min(values), max(values)
    steps = sorted(abs(b - a) for a, b in pairwise(values))
    usual = steps[len(steps) // 2] if steps else 0.0
    for form, (unit_s, zero_s) in COUNTS.items():
        inside = low * unit_s + zero_s >= SECONDS_2000 and high * unit_s + zero_s <= SECONDS_2060
        counts = any(v % 1 for v in values) if unit_s == DAY_S else usual * unit_s < FAR_APART_S
        if inside and counts:
            return form
    return None
