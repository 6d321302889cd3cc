"""The link in words: the order of the work, the sentence on the rail, what follows, the record."""

from collections.abc import Sequence
from datetime import datetime
from html import escape

from nipper.core.link.answer import USUAL_PROFILE, doubts, link_cable
from nipper.core.link.expect import Judged, judge
from nipper.core.link.record import LinkNotes, LossProof
from nipper.core.link.switches import addresses, ends
from nipper.core.report.consequence import Consequence, Status
from nipper.core.report.steps import Step
from nipper.core.setup import Setup
from nipper.core.sources.openloop import sheet
from nipper.core.wiring.chain import Chain, chain, title

STEPS, PATH, CABLE, TALK, VERIFY = range(5)  # the pages of the stage
CAUTION = (
    "Everything off and the battery's fuse or switch open before wiring. A 48 V bank drives "
    "kiloamperes into a short: insulated tools, no rings, eye protection. Mains is for a licensed "
    "electrician; both manuals decide over all that stands here."
)


def steps(setup: Setup, notes: LinkNotes, proof: tuple[float, LossProof] | None) -> list[Step]:
    """The order of the work, each with how it stands."""
    read = [j for j in judge(setup, notes.battery, notes.inverter) if j.fits is not None]
    fits = bool(read) and all(j.fits for j in read) and not notes.stand_in
    open_ = doubts(setup)
    found, assumed = link_cable(setup)
    lost = proof is not None and proof[1].proves(setup)

    def tick(id_: str, title: str, text: str, page: int | None = None) -> Step:
        return Step(id_, title, text, id_ in notes.ticks, True, page)

    return [
        tick("safety", "Power off, and safe", CAUTION),
        tick(
            "fallback",
            "The inverter's own voltages first",
            "Type the open-loop values (Charge, page Open loop) into the inverter: they are what "
            "is left when the link is lost.",
        ),
        Step(
            "match",
            "Both ends alike",
            "; ".join(open_) + "." if open_ else _matched(setup),
            not open_,
            False,
            PATH,
        ),
        tick("switches", "Addresses and ends set", _switches(setup), CABLE),
        tick(
            "cable",
            "Cable made and measured",
            "Type what each pin of both sockets carries, by the manuals."
            if assumed
            else f"A straight cable is {found.straight}: {found.why}.",
            CABLE,
        ),
        tick(
            "power",
            "Power up in order",
            "Packs on, the host last, then the inverter; some want a restart before settings hold. "
            "A newly commissioned inverter may begin a full charge, and a generator, by itself.",
        ),
        Step("talk", "See it talk", _talked(read, notes.stand_in), fits, False, VERIFY),
        Step("lose", "Lose it once on purpose", _lost(setup, proof), lost, False, TALK),
        tick("record", "The record", "Write the commissioning record, and keep it.", VERIFY),
        tick("first-days", "The first three full cycles", _first_days(setup)),
    ]


def _first_days(setup: Setup) -> str:
    """Which alarms settle by themselves, and which never do: common practice."""
    alarm_v = setup.protection.cell_over_voltage.alarm_v
    top = f" (at {alarm_v:.2f} V)" if alarm_v else ""
    gentle = 0.2 * setup.bank_ah
    return (
        f"Charge at no more than about {gentle:.0f} A, each time until it is held, two or three "
        "times. Usual meanwhile: alarms of capacity and of the difference between cells, a cell's "
        f"alarm near full{top}, a percentage that jumps to 100. Not usual, to be looked into at "
        "once: under-voltage, a short circuit, temperatures, a link that is lost, a pack that "
        "carries nothing, a cell that trips at every charge."
    )


def _matched(setup: Setup) -> str:
    link = setup.link
    assert link
    rate = f", {link.bit_rate} bit/s" if link.bit_rate else ""
    by = link.profile or USUAL_PROFILE
    return f"{setup.cells} cells, {link.transport.upper()}{rate}, by {by}."


def _switches(setup: Setup) -> str:
    each = ", ".join(f"{a.pack} {a.address} ({a.role})" for a in addresses(setup))
    return f"{each}. 120 Ω at {' and '.join(ends(setup))}."


def _talked(read: Sequence[Judged], stand_in: bool) -> str:
    wrong = [j for j in read if not j.fits]
    if not read:
        return "Hold both displays against what they must show."
    if wrong:
        return f"{wrong[0].expected.title}: {wrong[0].cause}."
    if stand_in:
        return f"{len(read)} values of the stand-ins fit: now read your own displays."
    return f"{len(read)} values fit."


def _lost(setup: Setup, proof: tuple[float, LossProof] | None) -> str:
    if proof is None:
        return "Pull the plug and time what happens; by day and by night it may differ."
    found = proof[1]
    if not found.is_of(setup):
        return f"{_first(found.words)}. The settings are others since: do it again."
    if not found.as_set(setup):
        return f"{_first(found.words)}: not as it is set."
    if found.stand_in:
        return f"{_first(found.words)}: rehearsed. Do it with your own devices."
    return f"{_first(found.words)}."


def _first(text: str) -> str:
    return text[:1].upper() + text[1:]


def heading(setup: Setup) -> str:
    """What the stage is headed with."""
    link = setup.link
    if link is None or link.mode == "open":
        return "Open loop: voltages only"
    charge, discharge = chain(setup, "charge"), chain(setup, "discharge")
    return f"Closed loop, {_amps(charge.limit_a)} / {_amps(discharge.limit_a)}"


def link_sentence(setup: Setup, proof: tuple[float, LossProof] | None) -> tuple[Status, str]:
    """How the link stands, for the rail."""
    link = setup.link
    if link is None or link.mode == "open":
        return Status.NONE, "open loop: voltages only"
    charge, discharge = chain(setup, "charge"), chain(setup, "discharge")
    limits = f"{_amps(charge.limit_a)} / {_amps(discharge.limit_a)}"
    after = f"{link.loss_timeout_s:g} s" if link.loss_timeout_s else "its time-out"
    does = "stops" if link.on_loss == "stop" else "falls back"
    text = f"closed loop, {limits}, {does} after {after}"
    if doubts(setup):
        return Status.WATCH, text
    proven = proof is not None and proof[1].proves(setup)
    return (Status.OK, text) if proven else (Status.NONE, f"{text}, not proven")


def _amps(value: float | None) -> str:
    return "–" if value is None else f"{value:g} A"


def of_link(setup: Setup, proof: tuple[float, LossProof] | None) -> list[Consequence]:
    """What follows of the link as it is set."""
    out: list[Consequence] = []
    link = setup.link
    closed = link is not None and link.mode == "closed"
    if closed:
        out += [Consequence(Status.WATCH, f"{_first(d)}.", place="settings") for d in doubts(setup)]
    out += _of_side("charge", chain(setup, "charge"))
    out += _of_side("discharge", chain(setup, "discharge"))
    if closed:
        out.append(_of_loss(setup, proof))
    return out


def _of_side(word: str, side: Chain) -> list[Consequence]:
    if side.limit_a is None:
        return [Consequence(Status.NONE, f"Nothing is known to limit the {word}.")]
    off = f"With one pack away {side.one_off_a:.0f} A." if side.one_off_a else ""
    return [
        Consequence(
            Status.NONE,
            f"The {word} ends at {side.limit_a:.0f} A:",
            f"the {title(side.weakest)} is the weakest link. {off}".strip(),
            place="sheet, BMS, leads, fuses, inverter as entered",
        )
    ]


def _of_loss(setup: Setup, proof: tuple[float, LossProof] | None) -> Consequence:
    link = setup.link
    assert link
    stops = link.on_loss == "stop"
    if proof is None or not proof[1].is_of(setup):
        return Consequence(
            Status.WATCH,
            "What happens when the link is lost is not proven.",
            "Pull the plug once, on purpose, and time it."
            if proof is None
            else "The settings are others since it was tried.",
        )
    if not proof[1].as_set(setup):
        return Consequence(Status.ACT, "The loss of the link went otherwise than set:",
                           f"{proof[1].words}.")  # fmt: skip
    if proof[1].stand_in:
        return Consequence(
            Status.WATCH,
            "The loss of the link is only rehearsed:",
            f"{proof[1].words}. Pull the plug of your own devices once, and type what happens.",
        )
    return Consequence(
        Status.OK,
        "The loss of the link is proven:",
        f"{proof[1].words}.",
        why="It stops: loads are off until the link is back, by day too."
        if stops
        else "It goes on with its own voltages: they must be right for this bank.",
    )


def commissioning_html(
    setup: Setup, notes: LinkNotes, proof: tuple[float, LossProof] | None, when: datetime
) -> str:
    """The commissioning record, for printing."""
    rows = "".join(_row(j) for j in judge(setup, notes.battery, notes.inverter))
    values = "".join(
        f"<tr><td>{escape(v.name)}</td><td align='right'>{escape(v.text)}</td></tr>"
        for v in sheet(setup)
    )
    done = "".join(
        f"<li>{escape(s.title)}: {'done' if s.done else 'not done'}</li>"
        for s in steps(setup, notes, proof)
    )
    loss = proof[1].words if proof else "not tried"
    whose = ", of the stand-ins" if notes.stand_in else ""
    return (
        f"<h2>Commissioning record: {escape(setup.name)}</h2>"
        f"<p>{when.day} {when:%B %Y, %H:%M}. {setup.packs_in_parallel} × {setup.cells} cells, "
        f"{setup.bank_ah:g} Ah.</p><p>{escape(CAUTION)}</p>"
        f"<h3>What both ends show{whose}</h3><table cellpadding='4' width='100%'><tr><td></td>"
        "<td align='right'>must be</td><td align='right'>battery</td>"
        f"<td align='right'>inverter</td><td></td></tr>{rows}</table>"
        f"<h3>Loss of the link</h3><p>{escape(_first(loss))}.</p>"
        f"<h3>Steps</h3><ul>{done}</ul>"
        f"<h3>The inverter's own values</h3><table cellpadding='3'>{values}</table>"
    )


def _row(line: Judged) -> str:
    numbers = (line.expected.value, line.battery, line.inverter)
    cells = "".join(f"<td align='right'>{_shown(line, n)}</td>" for n in numbers)
    title, verdict = escape(line.expected.title), escape(_verdict(line))
    return f"<tr><td>{title}</td>{cells}<td>{verdict}</td></tr>"


def _shown(line: Judged, value: float | None) -> str:
    return "" if value is None else escape(f"{value:g} {line.expected.unit}".strip())


def _verdict(line: Judged) -> str:
    if line.fits is None:
        return "not read"
    return "fits" if line.fits else line.cause
