"""The way of the current as tables: carried, dropped, heated; fuses; shares of the packs."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from nipper.core.setup import Setup, pack_names, pack_setups, put
from nipper.core.wiring.chain import chain, title
from nipper.core.wiring.drops import Drop, drops, sag_v
from nipper.core.wiring.fusechoice import FuseChoice, main_fuse, pack_fuse
from nipper.core.wiring.sharing import shares

WAYS = {
    "busbar": "a bar",
    "same_end": "a row, one end",
    "diagonal": "a row, diagonal",
}
WARM = 0.8  # of what a part carries for long: from here it has no reserve, common practice


@dataclass(frozen=True, slots=True)
class Row:
    """One line of a table: its cells, how it stands (empty: not judged), what is to be said."""

    cells: tuple[str, ...]
    status: str = ""
    says: str = ""
    strong: bool = False


def carried_rows(setup: Setup, amps: float) -> list[Row]:
    """What flows through each part, at a current of the whole bank, A; the sum last."""
    found = chain(setup, "discharge")
    out = [_carried(d, found.weakest) for d in drops(setup, amps, found)]
    parts = {d.part for d in drops(setup, amps, found)}
    out += [
        Row((title(p.part), f"{amps:.0f} A", f"{p.limit_a:.0f} A", "", "", ""),
            *_judged(amps, p.limit_a), strong=p.part == found.weakest)
        for p in found.parts
        if p.of == "bank" and p.part not in parts
    ]  # fmt: skip
    sag = sag_v(setup, amps)
    return [*out, Row(("all together", "", "", f"{1e3 * sag / amps:.2f} mΩ", f"{sag:.2f} V",
                       f"{sag * amps:.0f} W"), strong=True)]  # fmt: skip


def _carried(drop: Drop, weakest: str) -> Row:
    carries = "" if drop.carries_a is None else f"{drop.carries_a:.0f} A"
    cells = (
        title(drop.part), f"{drop.amps:.0f} A", carries, f"{1e3 * drop.ohm:.2f} mΩ",
        f"{drop.mv:.0f} mV", f"{drop.heat_w:.1f} W",
    )  # fmt: skip
    if drop.carries_a is None:
        return Row(cells)
    return Row(cells, *_judged(drop.amps, drop.carries_a), strong=drop.part == weakest)


def _judged(amps: float, carries_a: float) -> tuple[str, str]:
    if amps > carries_a * 1.001:
        return "act", "more flows than it carries for long"
    if amps > WARM * carries_a:
        return "watch", "no reserve"
    return "ok", ""


def fuse_rows(setup: Setup, amps: float) -> list[Row]:
    """The fuse of a pack and the main fuse, at a current of the whole bank, A."""
    packs = pack_setups(setup)
    own = {(p.wiring.fuse_a, p.wiring.cable_mm2) if p.wiring else None for p in packs}
    out = [_fuse(pack_fuse(packs, amps))]
    if len(own) > 1:  # unlike fuses or leads: each by its own share
        out = [
            _fuse(replace(pack_fuse((p,), amps * share), place=f"fuse of {name}"))
            for p, name, (share, _) in zip(packs, pack_names(setup), shares(packs), strict=True)
        ]
    return [*out, _fuse(main_fuse(setup, amps))]


def _fuse(choice: FuseChoice) -> Row:
    fits = ", ".join(f"{f:g}" for f in choice.fits_a[:3]) + (" A" if choice.fits_a else "none")
    most = "lead unknown" if choice.most_a is None else f"{choice.most_a:.0f} A"
    fitted = "none" if choice.fitted_a is None else f"{choice.fitted_a:g} A"
    cells = (choice.place, f"{choice.least_a:.0f} A", most, fits, f"{choice.breaks_ka:.1f} kA",
             fitted)  # fmt: skip
    return Row(cells, *_fuse_judged(choice))


def _fuse_judged(choice: FuseChoice) -> tuple[str, str]:
    fitted, most, breaks = choice.fitted_a, choice.most_a, choice.fitted_breaks_ka
    if fitted is None:
        return "watch", "not entered"
    if most is not None and fitted > most + 1e-9:
        return "act", "does not protect its lead"
    if breaks is not None and breaks < choice.breaks_ka:
        return "act", f"breaks {breaks:g} kA only: the arc burns on"
    if fitted < choice.flows_a:
        return "act", "melts at this current"
    if fitted < choice.least_a - 1e-9:
        return "watch", "ages: less than 1.25 times what flows"
    if most is None:
        return "watch", "its lead is not entered: nothing says that it outlives it"
    if breaks is None:
        return "watch", "what it breaks is not entered"
    return "ok", ""


def share_rows(setup: Setup, measured: Sequence[float] | None) -> list[Row]:
    """Heads, then each pack's share: expected, with each other pack off, and by the logs."""
    names = pack_names(setup)
    if len(names) < 2:
        return []
    packs = pack_setups(setup)
    off = [[s for s, _ in shares(packs, (i,))] for i in range(len(packs))]
    expected = [s for s, _ in shares(packs)]
    out = [Row(("pack", "expected", "most, with one off", "by the logs"))]
    for i, name in enumerate(names):
        most = max(row[i] for row in off)
        logs = "no common log" if measured is None else f"{100 * measured[i]:.0f} %"
        out.append(Row((name, f"{100 * expected[i]:.0f} %", f"{100 * most:.0f} %", logs)))
    return out


def way_rows(setup: Setup) -> list[Row]:
    """Heads, then each pack's share for each way of joining them; nothing for a single pack."""
    names = pack_names(setup)
    if len(names) < 2:
        return []
    now = setup.wiring.joined if setup.wiring else "busbar"
    each = [
        [share for share, _ in shares(pack_setups(put(setup, {"wiring.joined": way})))]
        for way in WAYS
    ]
    heads = (f"{words}{', as it is' if way == now else ''}" for way, words in WAYS.items())
    out = [Row(("if joined by", *heads))]
    for name, *row in zip(names, *each, strict=True):
        out.append(Row((str(name), *(f"{100 * float(share):.0f} %" for share in row))))
    return out
