"""Judge the diagnosis on packs of the other physics: ``python -m tests.bench.worlds [FROM [TO
[lto]]]``.

Prints the tables of docs/diagnosis.md: first findings, confidence, and how often 90 % intervals
hold the truth, by chemistry.
"""

import sys
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass

import numpy as np

from nipper.core.imbalance.diagnosis import diagnose
from tests.bench.others import CAUSES, other


@dataclass(frozen=True)
class Held:
    """One interval: of what, for which chemistry, whether it holds the truth, the error and the
    width.
    """

    quantity: str
    chemistry: str
    held: bool
    error: float
    width: float


@dataclass(frozen=True)
class Judged:
    """One pack judged."""

    cause: str
    number: int
    chemistry: str
    top: str
    cells_right: bool
    confidences: tuple[tuple[float, bool], ...]
    held: tuple[Held, ...]
    words: str


def judge(case: tuple[str, int, str]) -> Judged:
    """Make a case and diagnose it."""
    cause, number, chemistry = case
    pack = other(cause, number, chemistry)
    found = diagnose(pack.log, pack.setup)
    strong = [f for f in found.findings if f.confidence > 0.5]
    top = strong[0] if strong else None
    known, per_pct = found.estimate, 100.0 / pack.setup.capacity_ah
    low, high = (per_pct * end for end in known.drift.last_range_ah)
    offset = per_pct * known.drift.last_ah
    capacity, sd = per_pct * known.capacities.deficit_ah, per_pct * known.capacities.sd_ah
    held = [
        Held("newest offset", pack.setup.chemistry, bool(a <= t <= b), abs(o - t), b - a)
        for o, t, a, b in zip(offset, pack.offset_pct, low, high, strict=True)
        if np.isfinite(o)
    ]
    held += [
        Held("capacity", pack.setup.chemistry, bool(abs(c - t) <= 1.645 * s), abs(c - t), 3.29 * s)
        for c, t, s in zip(capacity, pack.capacity_pct, sd, strict=True)
        if np.isfinite(c)
    ]
    truth = pack.truth
    sure = tuple(
        (
            f.confidence,
            f.cause == truth.cause and (not truth.cells or set(f.cells) <= set(truth.cells)),
        )
        for f in strong
    )
    right = top is not None and tuple(top.cells) == truth.cells
    words = "; ".join(f.summary for f in strong)
    name = top.cause if top else ""
    return Judged(cause, number, pack.setup.chemistry, name, right, sure, tuple(held), words)


def tables(done: list[Judged]) -> str:
    """The result as Markdown."""
    lines = [
        "| cause | packs | first finding right | cells right | taken for |",
        "|---|---|---|---|---|",
    ]
    for cause in CAUSES:
        own = [d for d in done if d.cause == cause]
        right = [d for d in own if d.top == cause]
        wrong = Counter(d.top or "nothing" for d in own if d.top != cause)
        cells = f"{sum(d.cells_right for d in right)} of {len(right)}" if cause else "–"
        taken = ", ".join(f"{k} {v}" for k, v in wrong.most_common())
        lines.append(f"| {cause or 'healthy'} | {len(own)} | {len(right)} | {cells} | {taken} |")
    total = sum(d.top == d.cause for d in done)
    lines += ["", f"Right: {total} of {len(done)} ({total / len(done):.1%}).", ""]
    lines += ["| confidence given | chemistry | findings | right |", "|---|---|---|---|"]
    for least, most in ((0.5, 0.7), (0.7, 0.85), (0.85, 0.95), (0.95, 1.0)):
        for chemistry in ("lfp", "nmc", "lto"):
            here = [
                ok
                for d in done
                for given, ok in d.confidences
                if least < given <= most and d.chemistry == chemistry
            ]
            if here:
                lines.append(
                    f"| {least:.2f} to {most:.2f} | {chemistry} | {len(here)} | "
                    f"{np.mean(here):.0%} |"
                )
    lines += [
        "",
        "| 90 % interval of | chemistry | cells | holds the truth | median error | median width |",
    ]
    lines.append("|---|---|---|---|---|---|")
    for quantity in ("newest offset", "capacity"):
        for chemistry in ("lfp", "nmc", "lto"):
            here = [
                h
                for d in done
                for h in d.held
                if (h.quantity, h.chemistry) == (quantity, chemistry)
            ]
            if here:
                error, width = (
                    np.median([getattr(h, k) for h in here]) for k in ("error", "width")
                )
                share = np.mean([h.held for h in here])
                lines.append(
                    f"| {quantity} | {chemistry} | {len(here)} | {share:.0%} | "
                    f"{error:.2f} % | {width:.2f} % |"
                )
    return "\n".join(lines)


if __name__ == "__main__":
    first, last = [int(a) for a in sys.argv[1:3]] or [0, 12]
    of = sys.argv[3] if len(sys.argv) > 3 else ""
    with ProcessPoolExecutor(2) as pool:
        cases = [(c, n, of) for c in CAUSES for n in range(first, last)]
        judged = list(pool.map(judge, cases, chunksize=2))
    print(tables(judged))
    for d in judged:
        if d.top != d.cause or (d.cause and not d.cells_right):
            print(f"{d.cause or 'healthy'} {d.number} ({d.chemistry}): {d.words[:150]}")
