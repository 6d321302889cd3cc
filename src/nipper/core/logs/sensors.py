"""Which temperatures of a table are of cells, by the names of their columns.

Switches run hot with the current, the air follows the weather: taken for cells they would be the
hottest and the coldest of the pack. By common practice of naming, in several languages.
"""

import re
from collections.abc import Sequence

CELL, SWITCHES, AIR, BOARD = "cell", "switches", "air", "board"
NAMES = (
    (SWITCHES, re.compile(r"mos|fet|switch|heat.?sink|schalter|leistung|disipador|dissip", re.I)),
    (
        AIR,
        re.compile(
            r"\bair\b|(^|[ _])(air|env|amb)|ambi|outdoor|outside|\broom\b|luft|umgeb|au(ss|ß)en"
            r"|exter|ambien|aire\b|otoczen|omgeving|buiten",
            re.I,
        ),
    ),
    (BOARD, re.compile(r"board|pcb|\bmcu|\bcpu|chip|platine|circuit|placa|scheda", re.I)),
)


def role(column: str) -> str:
    """What a temperature column is of: ``cell`` unless its name says otherwise."""
    return next((found for found, names in NAMES if names.search(column)), CELL)


def of_cells(columns: Sequence[str]) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """The columns of cells, and the others. Where none is of a cell, none is taken for one."""
    cells = tuple(c for c in columns if role(c) == CELL)
    return cells, tuple(c for c in columns if c not in cells)
