"""Judge the diagnosis on the made-up packs: ``python -m tests.bench.score [FAULTY [HEALTHY
[FIRST]]]`` prints the tables of docs/diagnosis.md.

The engine was developed on the packs numbered from 0; those from 1000 on were never looked at one
by one.
"""

import sys
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass

import numpy as np

from nipper.core.imbalance.diagnosis import diagnose
from tests.bench.packs import CAUSES, make


@dataclass(frozen=True)
class Score:
    """One case judged."""

    name: str
    cause: str
    top: str
    cells_right: bool | None
    error: float | None  # relative, outside of the range of right sizes
    relative: float | None  # relative, against the middle
    confidences: tuple[
        tuple[float, bool], ...
    ]  # of every finding above a half: how sure, and whether right
    verdict: str
    words: str


def judge(case: tuple[str, int]) -> Score:
    """Make a case and diagnose it."""
    pack = make(*case)
    found = diagnose(pack.log, pack.setup)
    strong = [f for f in found.findings if f.confidence > 0.5]
    top, truth = (strong[0] if strong else None), pack.truth
    right = top is not None and top.cause == truth.cause
    cells = error = relative = None
    if right and top is not None:
        cells = tuple(top.cells) == truth.cells if truth.cells else None
        if len(truth.cells) > 1 and truth.cause == "self_discharge":
            cells = {c for f in strong if f.cause == "self_discharge" for c in f.cells} == set(
                truth.cells
            )
        if np.isfinite(truth.low):
            middle = 0.5 * (truth.low + truth.high)
            relative = abs(top.value - middle) / abs(middle)
            error = max(0.0, truth.low - top.value, top.value - truth.high) / abs(middle)
    sureness = tuple(
        (
            f.confidence,
            f.cause == truth.cause and (not truth.cells or set(f.cells) <= set(truth.cells)),
        )
        for f in strong
    )
    return Score(
        pack.name,
        truth.cause,
        top.cause if top else "",
        cells,
        error,
        relative,
        sureness,
        found.verdict,
        "; ".join(f.summary for f in strong),
    )


def score_all(faulty: int, healthy: int, first: int = 0, workers: int = 2) -> list[Score]:
    """Judge all cases."""
    cases = [(c, first + n) for c in CAUSES for n in range(faulty)] + [
        ("", first + n) for n in range(healthy)
    ]
    with ProcessPoolExecutor(workers) as pool:
        return list(pool.map(judge, cases, chunksize=4))


def tables(scores: list[Score]) -> str:
    """The result as Markdown."""
    lines = [
        "| cause | packs | first finding right | cells right | median size error | taken for |",
        "|---|---|---|---|---|---|",
    ]
    for cause in CAUSES:
        own = [s for s in scores if s.cause == cause]
        right = [s for s in own if s.top == cause]
        cells = [s.cells_right for s in right if s.cells_right is not None]
        errors = [s.relative for s in right if s.relative is not None]
        wrong = Counter(s.top or "nothing" for s in own if s.top != cause)
        size = f"{100 * np.median(errors):.1f} %" if errors else "–"
        lines.append(
            f"| {cause} | {len(own)} | {len(right)} | "
            f"{f'{sum(cells)} of {len(cells)}' if cells else '–'} | {size} | "
            + ", ".join(f"{k} {v}" for k, v in wrong.most_common())
            + " |"
        )
    faulty, healthy = [s for s in scores if s.cause], [s for s in scores if not s.cause]
    right = [s for s in faulty if s.top == s.cause]
    cells = [s.cells_right for s in right if s.cells_right is not None]
    errors = [s.relative for s in right if s.relative is not None]
    lines += [
        "",
        f"First finding right: {len(right)} of {len(faulty)} "
        f"({len(right) / max(1, len(faulty)):.1%}); cells: {sum(cells)} of {len(cells)} "
        f"({sum(cells) / max(1, len(cells)):.1%}); median size error "
        f"{100 * np.median(errors or [0.0]):.1f} %; "
        f"false alarms: {sum(bool(s.top) for s in healthy)} of {len(healthy)} healthy packs.",
        "",
        "| confidence given | findings | right |",
        "|---|---|---|",
    ]
    given = np.array([c for s in scores for c, _ in s.confidences])
    true = np.array([r for s in scores for _, r in s.confidences])
    for low, high in ((0.5, 0.7), (0.7, 0.85), (0.85, 0.95), (0.95, 1.0)):
        here = (given > low) & (given <= high)
        if here.any():
            lines.append(f"| {low:.2f} to {high:.2f} | {here.sum()} | {true[here].mean():.0%} |")
    return "\n".join(lines)


if __name__ == "__main__":
    numbers = [int(a) for a in sys.argv[1:]]
    done = score_all(*(numbers + [28, 110, 0][len(numbers) :]))
    print(tables(done))
    for s in done:
        if s.top != s.cause or s.cells_right is False or (s.error or 0.0) > 0.15:
            print(f"{s.name:28s} -> {s.verdict}: {s.words[:200]}")
