"""What a finding of the diagnosis is, and how sure a size against its threshold makes one."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from math import exp
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from nipper.core.imbalance.remedies import Move
from nipper.core.logs.model import Floats
from nipper.core.setup import Setup

if TYPE_CHECKING:
    from nipper.core.imbalance.estimate import Estimate

# of the herd's: above it a cell's charge and capacity are no longer read from voltage alone
RESISTANCE_SHARE = 0.35
ALIKE = 2.0  # sizes within this factor are told as one finding


@dataclass(frozen=True, eq=False, slots=True)
class Cause:
    """One finding of the diagnosis, in the form of the headless contract.

    ``serious`` asks for action, else for watching.
    """

    cause: str
    cells: tuple[int, ...]
    confidence: float
    quantity: str
    value: float
    low: float
    high: float
    unit: str
    summary: str
    evidence: tuple[str, ...]
    actions: tuple[str, ...]
    confirm: str = ""
    serious: bool = False
    mended: bool = False  # it was, and is no more: nothing is to be done
    moves: tuple[Move, ...] = ()  # of its actions those that move charge by hand
    # the same finding for some of its cells only (indices), where others are explained better
    again: "Callable[[list[int]], Cause] | None" = None

    def to_json(self) -> dict[str, object]:
        """As the contract has it."""
        return {
            "cause": self.cause,
            "cells": list(self.cells),
            "confidence": round(self.confidence, 3),
            "magnitude": {
                "quantity": self.quantity,
                "value": round(self.value, 3),
                "low": round(self.low, 3),
                "high": round(self.high, 3),
                "unit": self.unit,
            },
            "summary": self.summary,
            "evidence": list(self.evidence),
            "actions": list(self.actions),
            "confirm": self.confirm,
            "moves": [{"cell": m.cell, "ah": round(m.ah, 2)} for m in self.moves if m.ah],
        }


def sure(ratio: float, steep: float = 3.0) -> float:
    """0..1 from how many times a size stands above its threshold: 0.5 at once, 0.9 at twice."""
    return 0.98 / (1.0 + exp(-steep * (ratio - 1.0)))


def names(cells: list[int]) -> str:
    """``Cell 4``, ``Cells 4 and 11``: from indices."""
    numbers = [str(i + 1) for i in cells]
    return (
        f"Cell {numbers[0]}"
        if len(numbers) == 1
        else "Cells " + ", ".join(numbers[:-1]) + " and " + numbers[-1]
    )


def has(cells: list[int], one: str, many: str) -> str:
    """``Cell 4 has``, ``Cells 4 and 11 have``: from indices and the verb's two forms."""
    return f"{names(cells)} {one if len(cells) == 1 else many}"


def alike(cells: NDArray[np.intp], size: Floats) -> Iterable[list[int]]:
    """Cells with the same trouble of about the same size together, strongest group first.

    Parameters
    ----------
    cells : indices of those in trouble
    size : float64[all cells], signed
    """
    left: list[int] = sorted((int(i) for i in cells), key=lambda i: -abs(float(size[i])))
    while left:
        most = float(size[left[0]])
        group = [i for i in left if float(size[i]) / most >= 1.0 / ALIKE]
        yield sorted(group)
        left = [i for i in left if i not in group]


def resistance_doubt_ah(known: "Estimate", setup: Setup) -> Floats:
    """What a cell's own resistance leaves uncertain in its offset and in its capacity, Ah,
    float64[cells]: at either end a cell that stands apart may only be a resistive one.
    """
    excess = np.nan_to_num(known.resistances.excess_ohm)
    herd = known.resistances.herd_ohm
    if not np.isfinite(herd) or herd <= 0:
        return np.zeros(setup.cells)
    share = np.abs(excess) / herd
    return np.where(
        share > RESISTANCE_SHARE, 0.01 * setup.capacity_ah * share / RESISTANCE_SHARE, 0.0
    )
