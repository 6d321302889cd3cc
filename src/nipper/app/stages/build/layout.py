"""Where each part of the drawing stands: the main way above, then one row a pack.

Only geometry: the figure paints and selects by it.
"""

import itertools
from dataclasses import dataclass
from math import ceil

from PySide6.QtCore import QPointF, QRectF

from nipper.core.assembly.parts import BuiltPart

ROW_H, LINE_H = 96.0, 60.0  # of a pack, and of each further line of a long string
BANK_H, BAR_X, BOX_H = 92.0, 16.0, 40.0
PER_LINE = 24  # cells in a line
BMS_W, FUSE_W, LEAD_W = 46.0, 46.0, 34.0
BAR_SHARE = 0.24  # of a cell's pitch is its bar
Wire = tuple[QPointF, QPointF]


@dataclass(frozen=True, slots=True)
class Placed:
    """The boxes by their places, the wires between them, and how high all of it is."""

    boxes: dict[str, QRectF]
    wires: tuple[Wire, ...]
    names: tuple[tuple[QPointF, str], ...]  # of the packs
    taps: tuple[tuple[QPointF, int], ...]  # sense leads by their numbers
    height: float


def rows_of(cells: int) -> int:
    """Into how many lines a string is broken."""
    return max(1, ceil(cells / PER_LINE))


def pack_height(cells: int) -> float:
    """How high one pack's row is."""
    return ROW_H + (rows_of(cells) - 1) * LINE_H


def place(
    bank: list[BuiltPart], packs: list[list[BuiltPart]], names: list[str], width: float
) -> Placed:
    """Place all parts in a width; nothing while there are none."""
    if not bank:
        return Placed({}, (), (), (), 0.0)
    boxes: dict[str, QRectF] = {}
    wires: list[Wire] = []
    titles: list[tuple[QPointF, str]] = []
    taps: list[tuple[QPointF, int]] = []
    right = width - BAR_X
    top = BANK_H
    ends: list[float] = []
    for parts, name in zip(packs, names, strict=True):
        ends.append(_pack(parts, top, right, boxes, wires, taps))
        titles.append((QPointF(BAR_X + 10, top + 13), name))
        cells = sum(p.kind == "cell" for p in parts)
        top += pack_height(cells)
    _bank(bank, right, ends, boxes, wires)
    return Placed(boxes, tuple(wires), tuple(titles), tuple(taps), top)


def _pack(
    parts: list[BuiltPart],
    top: float,
    right: float,
    boxes: dict[str, QRectF],
    wires: list[Wire],
    taps: list[tuple[QPointF, int]],
) -> float:
    """One pack's row; returns the height at which its leads meet the bars."""
    by_kind = {p.kind: p for p in parts if p.kind not in ("cell", "bar")}
    cells = [p for p in parts if p.kind == "cell"]
    lines = rows_of(len(cells))
    each = ceil(len(cells) / lines)
    y, last_y = top + 44.0, top + 44.0 + (lines - 1) * LINE_H
    x = BAR_X + 6
    boxes[by_kind["lead"].place] = QRectF(x, y - 11, LEAD_W, 22)
    bms = QRectF(x + LEAD_W + 6, y - BOX_H / 2, BMS_W, BOX_H)
    boxes[by_kind["bms"].place] = bms
    fuse = QRectF(right - 8 - FUSE_W, last_y - 12, FUSE_W, 24)
    boxes[by_kind["fuse"].place] = fuse
    left, until = bms.right() + 8, fuse.left() - 8
    pitch = (until - left) / each
    wide = pitch * (1 - BAR_SHARE)
    bars = {p.number: p.place for p in parts if p.kind == "bar"}
    taps.append((QPointF(left - 4, y + BOX_H / 2 + 3), 0))
    for i, cell in enumerate(cells):
        line, at = divmod(i, each)
        here = y + line * LINE_H
        box = QRectF(left + at * pitch, here - BOX_H / 2, wide, BOX_H)
        boxes[cell.place] = box
        taps.append((QPointF(box.right() + (pitch - wide) / 2, here + BOX_H / 2 + 3), i + 1))
        if cell.number in bars:
            boxes[bars[cell.number]] = QRectF(box.right(), here - 5, pitch - wide, 10)
            if at == each - 1:
                wires += _turn(box, left, here)
    wires.append((QPointF(BAR_X, y), QPointF(bms.left(), y)))
    wires.append((QPointF(bms.right(), y), QPointF(left, y)))
    end = boxes[cells[-1].place].right()
    wires.append((QPointF(end, last_y), QPointF(fuse.left(), last_y)))
    wires.append((QPointF(fuse.right(), last_y), QPointF(right, last_y)))
    return y if lines == 1 else last_y


def _turn(box: QRectF, left: float, y: float) -> list[Wire]:
    """From the end of a line to the beginning of the next."""
    x, below, back = box.right() + 4, y + LINE_H / 2 + 4, left - 5
    corners = (QPointF(x, y), QPointF(x, below), QPointF(back, below),
               QPointF(back, y + LINE_H), QPointF(left, y + LINE_H))  # fmt: skip
    return list(itertools.pairwise(corners))


def _bank(
    bank: list[BuiltPart],
    right: float,
    ends: list[float],
    boxes: dict[str, QRectF],
    wires: list[Wire],
) -> None:
    y = 58.0
    way = [p for p in bank if p.kind in ("main_fuse", "switch", "main_lead", "inverter")]
    chargers = [p for p in bank if p.kind.startswith("charger")]
    wide, gap = min(104.0, (right - BAR_X - 130.0) / (len(way) + 1.0)), 14.0
    x = right - 14.0
    edge = right
    for part in way:  # from the plus bar towards the inverter
        box = QRectF(x - wide, y - 19, wide, 38)
        boxes[part.place] = box
        wires.append((QPointF(edge, y), QPointF(box.right(), y)))
        edge, x = box.left(), box.left() - gap
    last = max(ends)
    wires += _minus(bank, edge, y, ends)
    wires.append((QPointF(right, y), QPointF(right, last)))
    boxes["bus"] = QRectF(BAR_X - 8, 3, 158, 26)
    load_x = boxes["inverter"].right() + gap / 2
    each = min(150.0, (right - boxes["bus"].right() - 2 * gap) / max(1, len(chargers)) - gap)
    x = boxes["bus"].right() + 2 * gap
    for part in chargers:
        box = QRectF(x, 3, each, 26)
        boxes[part.place] = box
        at_battery = part.kind.endswith("at_battery")
        to = right if at_battery else load_x
        lift = 33.0 if at_battery else 36.0
        middle = box.center().x()
        wires.append((QPointF(middle, box.bottom()), QPointF(middle, lift)))
        wires.append((QPointF(middle, lift), QPointF(to, lift)))
        if not part.kind.endswith("unsaid"):
            wires.append((QPointF(to, lift), QPointF(to, y)))
        x += each + gap


def _minus(bank: list[BuiltPart], edge: float, y: float, ends: list[float]) -> list[Wire]:
    """From the inverter to the minus of the packs: to the first of them, or past all to the last
    where the bank is taken off diagonally.
    """
    first, last = min(ends), max(ends)
    if not any(p.place == "bus" and p.title.endswith("diagonal") for p in bank):
        return [(QPointF(edge, y), QPointF(BAR_X, y)), (QPointF(BAR_X, y), QPointF(BAR_X, last))]
    aside = BAR_X - 10
    return [
        (QPointF(edge, y), QPointF(aside, y)),
        (QPointF(aside, y), QPointF(aside, last)),
        (QPointF(aside, last), QPointF(BAR_X, last)),
        (QPointF(BAR_X, first), QPointF(BAR_X, last)),
    ]
