"""What a finding of the diagnosis is, and how sure a size against its threshold makes one."""

from dataclasses import dataclass
from math import exp


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
