"""Numbers as people and machines write them: decimal marks, thousands, units behind the value."""

import re
from collections.abc import Iterable

import polars as pl

MISSING = frozenset(
    (
        *("", "nan", "null", "none", "nil", "n/a", "na", "#n/a", "n.a.", "-", "--", "---", "?"),
        *("unknown", "unavailable", "undefined", "error", "err", "invalid", "k.a.", "s/d", "b.d."),
        *("<na>", "off", "offline", "...", "–", "—", "#div/0!", "#value!", "#ref!", "timeout"),
        "inf",
    )
)
UNIT_BEHIND = r"\s*[a-zA-ZµμΩ°%][a-zA-ZµμΩ°%]{0,5}$"
GROUPED = re.compile(r"[+-]?\d{1,3}(?:[ '’\u00a0\u2009\u202f.,]\d{3})+(?:[.,]\d+)?$")
PLAIN = re.compile(rf"[+-]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE][+-]?\d+)?(?:{UNIT_BEHIND})?$")

RULE = re.compile(r"(?=[-+=_|:\s])(?=.*[-=_]{3})[-+=_|:\s]+", re.DOTALL)  # drawn between rows
MARKS = re.compile(r"[.,](?=\d)")
WHOLE = re.compile(r"[+\-−]?\d{1,3}")
BRACKETED = re.compile(r"\(\d[\d.,]*\)")
BEHIND = re.compile(r"\D.*")
DECIMAL_POINTS = re.compile(r"\.(?:\d{1,2}|\d{4,})(?!\d)")
TWICE = re.compile(r"\.\d+\.")


def looks_numeric(text: str) -> bool:
    """Whether a text is a number, by any of the usual ways of writing one."""
    text = text.strip().replace("−", "-").lstrip("~≈ ").rstrip("*!†↑↓▲▼ ")
    text = text[1:-1] if BRACKETED.fullmatch(text) else text.removesuffix("-")
    return bool(PLAIN.match(text) or GROUPED.match(text))


def is_missing(text: str | None) -> bool:
    """Whether a text says that there is no value."""
    return text is None or text.strip().lower() in MISSING or bool(RULE.fullmatch(text))


def decimal_mark(texts: Iterable[str | None], table: str = "") -> str | None:
    """The decimal mark of some numbers, None when they do not tell.

    A mark with three digits behind it may part thousands as well, and does where smaller numbers
    stand without any; every other one is a decimal. ``table`` is the mark that other columns of the
    table are sure of.
    """
    texts = set(texts)
    together = "\n".join(text for text in texts if text)
    if "," not in together and DECIMAL_POINTS.search(together) and not TWICE.search(together):
        return "."
    votes = {",": 0, ".": 0}
    unsure = {",": 0, ".": 0}
    whole = 0  # numbers of up to three digits without any mark
    for text in texts:
        marks = MARKS.findall(text) if text else []
        if not marks or not looks_numeric(str(text)):
            whole += bool(WHOLE.fullmatch(text or ""))
            continue
        last = marks[-1]
        behind = len(BEHIND.sub("", str(text).rsplit(last, 1)[1]))
        if marks.count(last) > 1:  # twice in one number: it parts thousands
            votes["." if last == "," else ","] += 1
        elif behind != 3 or len(set(marks)) == 2:
            votes[last] += 1
        else:
            unsure[last] += 1
    if votes[","] != votes["."]:
        return "," if votes[","] > votes["."] else "."
    if table:
        return table
    if whole and bool(unsure[","]) != bool(unsure["."]):
        return "." if unsure[","] else ","  # 950 beside 1.050: the mark parts thousands
    if unsure[","] != unsure["."]:
        return "," if unsure[","] > unsure["."] else "."
    return None


def sure_mark(texts: Iterable[str | None]) -> str:
    """The decimal mark some numbers are sure of; empty when none is."""
    texts = list(texts)
    one, other = decimal_mark(texts, "."), decimal_mark(texts, ",")
    return one if one and one == other else ""


def as_number(text: pl.Series, decimal: str) -> pl.Series:
    """Float64 of a text column; null where no number stands. Units behind a value are passed
    over: the caller knows them (:func:`unit_of_values`).
    """
    frame, bare = pl.DataFrame({text.name: text}), pl.first().str.strip_chars()
    if decimal == ",":  # a point in it parts thousands
        bare = pl.when(~bare.str.contains(".", literal=True)).then(bare)
        bare = bare.str.replace(",", ".", literal=True)
    plain = frame.select(bare.cast(pl.Float64, strict=False)).to_series()
    left = plain.is_null() & text.is_not_null()
    if not left.any():
        return plain
    cleaned = frame.select(_cleaned(pl.when(left).then(pl.first()), decimal)).to_series()
    return plain.zip_with(~left, cleaned)


def _cleaned(text: pl.Expr, decimal: str) -> pl.Expr:
    other = "." if decimal == "," else ","
    clean = (
        text.str.strip_chars(" \t\u00a0\u2009\u202f'\"=")
        .str.replace("−", "-", literal=True)
        .str.replace(r"^[~≈]\s*|\s*[*!†↑↓▲▼]+$", "")  # about so much; marked for something
        .str.replace(r"^.*\d\.\s+[A-Za-z].*$", "")  # a day of a month
        .str.replace(r"^\((\d.*)\)$|^(\d.*\d)-$", "-${1}${2}")  # as in bookkeeping
        .str.replace(UNIT_BEHIND, "")
        .str.replace_all(rf"(\d)[ '’\u00a0\u2009\u202f{other}](\d\d\d)", "${1}${2}")
        .str.replace(decimal, ".", literal=True)
    )
    return clean.cast(pl.Float64, strict=False)


def unit_of_values(texts: Iterable[str | None]) -> str | None:
    """The unit that stands behind most of the values, None when none does."""
    found: dict[str, int] = {}
    count = 0
    for text in texts:
        if is_missing(text):
            continue
        count += 1
        match = re.fullmatch(r"[+\-−]?[\d.,'’ ]*\d\s*([a-zA-ZµμΩ°%]{1,4})", str(text).strip())
        if match:
            found[match[1]] = found.get(match[1], 0) + 1
    if not found or max(found.values()) < 0.6 * count:
        return None
    return max(found, key=lambda unit: found[unit])
