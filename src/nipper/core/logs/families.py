"""The cells of a stranger's table: families of columns that differ in a running number and hold
cell voltages. Several families alike are several packs, or the modules of one string.
"""

import re
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from nipper.core.logs import words
from nipper.core.logs.column import Column, Floats
from nipper.core.logs.model import summed_v, without_placeholder

CELL_V = (1.0, 5.0)  # any lithium cell in use lies in here
SCALES = (1.0, 1e-3, 1e-4)  # V, mV, 0.1 mV: they cannot be taken for each other
NAMED_SCALES = (*SCALES, 1e-2, 0.1)  # where the heading speaks of cells or volts
TOP_V = 6.0  # no reading of a cell, however wrong
DEAD_TO_SOUND = 4  # so many sound cells stand beside one that may be dead
SUM_AGREES = 0.03
MOST_NUMBERS = 2000  # between the first and the last number of a family of cells


@dataclass(frozen=True, slots=True)
class Family:
    """Columns of cells in order, the scale to volts, and slots that hold nothing."""

    columns: tuple[Column, ...]
    scale: float
    key: tuple[str, str]
    numbers: tuple[int, ...] = ()  # that run, of the columns
    silent: tuple[tuple[int, Column], ...] = ()  # slots that hold nothing, by their number
    gaps: tuple[int, ...] = ()  # running numbers that are missing between the first and the last

    @property
    def names(self) -> tuple[str, ...]:
        """Names of the columns."""
        return tuple(c.name for c in self.columns)

    @property
    def unused(self) -> tuple[str, ...]:
        """Names of the slots that hold nothing."""
        return tuple(column.name for _, column in self.silent)

    @property
    def dead(self) -> tuple[str, ...]:
        """Names of the columns that read what no sound cell does."""
        return tuple(c.name for c in self.columns if not _holds_cell(c, self.scale))

    @property
    def label(self) -> str:
        """What tells this family from another: its heading around the running number."""
        return " ".join(f"{self.key[0]} {self.key[1]}".split())

    def sum_v(self) -> Floats:
        """Sum of the cells, V, float64[n]."""
        return summed_v(self.volts())

    def volts(self) -> Floats:
        """The cells, V, float64[n, cells]; NaN where what stands there is no cell's."""
        cells = np.array([c.numbers for c in self.columns]).T * self.scale
        with np.errstate(invalid="ignore"):
            size = np.abs(cells)  # one that is turned round counts in the pack's voltage
            cells = np.where((size > 0.2) & (size < TOP_V), cells, np.nan)
        return without_placeholder(cells)[0]


def find_families(columns: Sequence[Column]) -> list[Family]:
    """All families that can be cells, the likeliest first."""
    if all(re.fullmatch(r"column \d+", c.name) for c in columns):
        return _neighbours(columns)
    members: dict[tuple[str, str], dict[int, Column]] = defaultdict(dict)
    for column in columns:
        if not _can_be_cell(column):
            continue
        for match in re.finditer(r"\d+", column.plain):
            key = column.plain[: match.start()].strip(), column.plain[match.end() :].strip()
            members[key].setdefault(int(match.group()), column)
    lettered = words.lettered([c.name for c in columns])
    for column in columns:  # cell A, cell B
        if column.name in lettered and _can_be_cell(column):
            members[column.plain[:-1], "a"][ord(column.plain[-1]) - ord("a") + 1] = column
    for column in columns:  # without a number: the only one of its name, or the first of several
        if not re.search(r"\d", column.plain) and _can_be_cell(column):
            key = column.plain, ""
            again = members[key]
            if not again or (again[2].name if 2 in again else "") == f"{column.name} (2)":
                whole = {1: column} | again
                members[key] = whole if _family(key, whole) else again
    found = [f for key, numbered in members.items() if (f := _family(key, numbered))]
    found.sort(key=_score, reverse=True)
    return _apart(found)


def _can_be_cell(column: Column) -> bool:
    if column.quantity not in ("", "V") or (not column.finite.size and len(column.texts)):
        return column.quantity in ("", "V") and not column.finite.size
    others = (words.TEMPERATURE, words.CELLS_OWN, words.BALANCING, words.SOC, words.HEALTH)
    if any(column.says(p) for p in others):
        return column.quantity == "V" and not column.says(words.BALANCING)
    return column.numeric


def _family(key: tuple[str, str], numbered: dict[int, Column]) -> Family | None:
    order = sorted(numbered)
    named = any(numbered[n].says(words.CELL) or numbered[n].says(words.VOLTAGE) for n in order[:3])
    for scale in _scales([numbered[n] for n in order], named):
        used = [n for n in order if _holds_cell(numbered[n], scale)]
        unused = [n for n in order if n not in used and _holds_nothing(numbered[n], scale)]
        if not used or len(used) + len(unused) < len(order):
            dead = [n for n in order if n not in used and n not in unused]
            if not _may_be_dead([numbered[n] for n in dead], scale, len(used)):
                continue
            used = sorted([*used, *dead])
        first = numbered[used[0]]
        alone = first.says(words.CELL) and (first.quantity == "V" or first.says(words.VOLTAGE))
        if (len(used) == 2 and not named) or (len(used) == 1 and not alone):
            continue
        whole = not np.any(first.finite % 1)
        other_unit = first.quantity == "V" and scale != first.factor
        if whole and other_unit and (scale > first.factor or len(used) < 3):
            continue  # 3 under a heading in mV is a deviation, no cell
        if len(used) < 3 and (first.says(words.STATISTIC) or first.says(words.LIMIT)):
            continue  # the highest, the lowest, a limit: of no cell in particular
        if used[-1] - used[0] > MOST_NUMBERS:
            continue  # identifiers or dates, not the numbers of cells
        gaps = tuple(n for n in range(used[0], used[-1]) if n not in numbered)
        cells = tuple(numbered[n] for n in used)
        silent = tuple((n, numbered[n]) for n in unused)
        return Family(cells, scale, key, tuple(used), silent, gaps)
    return None


def _scales(columns: Sequence[Column], named: bool) -> list[float]:
    """The unit of the heading first; then those that a range of cell voltages tells apart."""
    given = [c.factor for c in columns if c.quantity == "V"][:1]
    return [*given, *(s for s in (NAMED_SCALES if named else SCALES) if s not in given)]


def _holds_cell(column: Column, scale: float) -> bool:
    """Nine of ten readings are a cell's; those that say nothing (0, all bits set) aside."""
    values = column.finite * scale
    read = values[(values > 0.2) & (values < 6.0)]
    low, high = CELL_V
    if read.size < 0.5 * values.size or not read.size:
        return False
    return float(np.mean((read >= low) & (read <= high))) >= 0.9


def _holds_nothing(column: Column, scale: float) -> bool:
    """An unused slot: empty, zero, all bits set or -1 throughout."""
    values = column.finite * scale
    if values.size and values[0] < -0.2 and np.any(values != np.rint(values)):
        return not np.any(np.abs(values) < TOP_V)  # a cell that is turned round
    return not np.any((values > 0.2) & (values < TOP_V))


def _may_be_dead(columns: Sequence[Column], scale: float, sound: int) -> bool:
    """Whether these, few beside sound ones of their name, read what only a ruined cell, or a
    broken lead, does: they are cells, and what they read is the first thing to be told.
    """
    few = 3 <= sound >= DEAD_TO_SOUND * len(columns)
    return few and all(np.max(np.abs(c.finite * scale)) < TOP_V for c in columns)


def _score(family: Family) -> float:
    first = family.columns[0]
    score = float(min(len(family.columns), 40))
    score += 6.0 * first.says(words.CELL) + 2.0 * (first.quantity == "V")
    score -= 30.0 * (first.says(words.STATISTIC) or first.says(words.LIMIT))
    score += 2.0 * first.says(words.MEAN)  # of a lowest, a highest and a mean of each cell
    score -= 12.0 * first.says(words.ELSEWHERE)
    score += 3.0 * (not re.search(r"\d", family.key[1]))  # the number that runs stands last
    return score


def _apart(families: list[Family]) -> list[Family]:
    """Each column in one family only: the likelier one keeps it."""
    taken: set[str] = set()
    out: list[Family] = []
    for family in families:
        if not taken & set(family.names):
            taken |= set(family.names)
            out.append(family)
    return out


def _neighbours(columns: Sequence[Column]) -> list[Family]:
    """Where the table has no names: the longest run of columns that hold cell voltages."""
    best: list[Column] = []
    for scale in SCALES:
        run: list[Column] = []
        for column in [*columns, None]:
            if column is not None and column.numeric and _holds_cell(column, scale):
                run.append(column)
                continue
            if len(run) > max(2, len(best)):
                best = run
                family = Family(tuple(best), scale, ("column", ""))
            run = []
    return [family] if best else []  # pyright: ignore[reportPossiblyUnboundVariable]


def alike(families: Sequence[Family]) -> list[Family]:
    """The families that differ from the first only by the name of a pack or a module."""
    first = families[0]
    if _score(first) < 0:
        return [first]
    moves = not _stands_still(first)
    families = [
        f
        for f in families
        if f is first or not (_same_readings(f, first) or (moves and _stands_still(f)))
    ]
    same = [
        f
        for f in families
        if len(f.columns) == len(first.columns) and _mask(f.key) == _mask(first.key)
    ]
    if len(same) == 1:
        same = [f for f in families if _worded_alike(f, first)]
    same.sort(key=lambda f: _natural(f.label))
    return same


def _same_readings(family: Family, first: Family) -> bool:
    """The same cells once more, in another unit or rounded."""
    if len(family.columns) != len(first.columns) or len(first.columns) < 2:
        return False
    off = np.abs(family.volts() - first.volts())
    return bool(np.isfinite(off).any()) and float(np.nanmedian(off)) < 6e-4


def _stands_still(family: Family) -> bool:
    """Whether no column of it ever changes: a quality, a limit, no reading."""
    return all(not c.finite.size or np.ptp(c.finite) == 0.0 for c in family.columns)


def _mask(key: tuple[str, str]) -> tuple[str, str]:
    """A heading with its other numbers and single letters hidden."""
    masked = [re.sub(r"\d+|\b[a-h]\b", "#", part) for part in key]
    return re.sub(r" ?\b2\b$", "", masked[0]), re.sub(r"^#$", "", masked[1])


def _worded_alike(family: Family, first: Family) -> bool:
    """Packs named by words (Top Cell 1, Bottom Cell 1): same size, both speak of cells."""
    if family is first:
        return True
    column, other = family.columns[0], first.columns[0]
    if len(family.columns) != len(first.columns) or _score(family) < 0:
        return False
    both = column.says(words.CELL) and other.says(words.CELL)
    return both and family.key[0].split()[-1:] == first.key[0].split()[-1:]


def _natural(text: str) -> list[tuple[int, str]]:
    return [(int(p) if p.isdigit() else -1, p) for p in re.split(r"(\d+)", text) if p]


def tokens_of(families: Sequence[Family]) -> list[str]:
    """What tells each of several families from the others: a number, a letter, a word."""
    split = [f.label.split() for f in families]
    common = set(split[0]).intersection(*split[1:])
    out = [" ".join(w for w in words_ if w not in common) or "1" for words_ in split]
    return out if len(set(out)) == len(out) else [str(i) for i in range(1, len(out) + 1)]


def joined(families: Sequence[Family]) -> Family:
    """The modules of one string as one family."""
    columns = tuple(c for f in families for c in f.columns)
    return replace(families[0], columns=columns, numbers=(), silent=())


def with_silent(family: Family, count: int) -> Family | None:
    """The family with so many cells in all, of which some hold nothing: slots between the others
    first, then those before them, then those behind; None where it has not so many.
    """
    more = count - len(family.columns)
    if not family.numbers or not 0 < more <= len(family.silent):
        return None
    first, last = family.numbers[0], family.numbers[-1]
    inside = [slot for slot in family.silent if first < slot[0] < last]
    before = [slot for slot in family.silent if slot[0] < first][::-1]
    behind = [slot for slot in family.silent if slot[0] > last]
    if more < len(inside):
        return None
    taken = [*inside, *before, *behind][:more]
    both = sorted([*zip(family.numbers, family.columns, strict=True), *taken], key=lambda s: s[0])
    numbers, columns = zip(*both, strict=True)
    silent = tuple(slot for slot in family.silent if slot not in taken)
    return replace(family, columns=columns, numbers=numbers, silent=silent)


def without_last(family: Family, count: int) -> Family:
    """The family without so many of its last columns, which are slots that hold nothing."""
    numbered = zip(family.numbers[-count:], family.columns[-count:], strict=True)
    left = tuple(numbered) if family.numbers else ()
    return replace(
        family,
        columns=family.columns[:-count],
        numbers=family.numbers[:-count],
        silent=(*family.silent, *left),
    )


def agrees(column: Column, total: Floats) -> float | None:
    """The scale that makes a column the sum of the cells, or None."""
    with np.errstate(invalid="ignore", divide="ignore"):
        ratios = column.numbers / total
    ratios = ratios[np.isfinite(ratios)]
    if not ratios.size:
        return None
    ratio = float(np.median(ratios))
    return next((s for s in (1.0, 1e-3, 1e-2, 0.1) if abs(ratio * s - 1.0) < SUM_AGREES), None)
