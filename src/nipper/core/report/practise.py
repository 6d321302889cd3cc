"""Practice in words: what is read, and how a case went."""

from nipper.core.report.consequence import Status
from nipper.core.upkeep.meter import Cells, Probe
from nipper.core.upkeep.practise import PractiseCase, Score, Taken

ODD = "the odd cell"


def practised(case: PractiseCase, probe: Probe) -> str:
    """A probe as the learner is told of it, who does not know which cell it is about."""
    each = {Cells.ALL: "each cell", Cells.ONE: "the chosen cell"}.get(probe.cells, ODD)
    return probe.where.replace(ODD, each) if case.cells else probe.where


def cell_words(taken: Taken) -> list[tuple[str, str]]:
    """A row of a screen: each cell's number with what it reads."""
    return [(str(i), number_words(value, "+.0f")) for i, value in enumerate(taken.values, 1)]


def taken_words(case: PractiseCase, taken: Taken) -> str:
    """What one number was read, and where."""
    unit = case.walk.probe(taken.probe).unit
    at = f"cell {taken.cell}: " if taken.cell else ""
    return f"{at}{number_words(taken.values[0], 'g')} {unit}".strip()


def number_words(value: float, form: str) -> str:
    """A number with a true minus; zero has no sign."""
    text = f"{value:{form}}"
    return "0" if float(text) == 0 else text.replace("-", "−")


def _named_words(score: Score) -> list[tuple[Status, str]]:
    """Whether fault, cell and cure were right."""
    fault = score.hidden
    where = f"cell {score.cell}: " if score.cell else ""
    is_it = f"{where}{fault.title[:1].lower()}{fault.title[1:]}"
    if score.right:
        out = [(Status.OK, f"Right: {is_it}.")]
    else:
        out = [(Status.ACT, f"No: {is_it}.")]
    if score.right_cure:
        out.append((Status.OK, f"And that is done: {fault.cure}"))
    else:
        out.append((Status.ACT, f"What is done: {fault.cure}"))
    return out


def score_words(score: Score) -> list[tuple[Status, str]]:
    """How a case of practice went."""
    out = _named_words(score)
    way = "; ".join(p.where for p in score.way) or "no reading at all"
    long = score.minutes > 2.0 * score.way_minutes and len(score.told) > len(score.way)
    words = f"{score.minutes:g} minutes of readings; {score.way_minutes:g} would do: {way}."
    out.append((Status.WATCH if long else Status.OK, words))
    for probe, bits in score.told:
        told = f"told {bits:.1f} bits" if bits >= 0.05 else "told nothing"
        if bits <= -0.05:
            told = f"misled by {-bits:.1f} bits"
        out.append((Status.NONE, f"{probe.where}: {told}."))
    for probe in score.forgotten:
        out.append((Status.WATCH, f"Not made safe before: {probe.where}. {probe.caution}"))
    return out
