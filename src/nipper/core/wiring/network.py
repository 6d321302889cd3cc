"""Packs in parallel as a network of resistors: which pack carries how much of a current.

Each pack is a voltage behind its own resistance, between a plus rail and a minus rail. With a
common bar the rails have none; of packs in a row each length between two packs has its own.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Row:
    """Packs in a row. ``own_ohm``: each pack with its leads; ``between_ohm``: one rail from a pack
    to its neighbour, one fewer than packs, the same in plus and minus; ``minus_at``: the pack at
    which the minus main lead is taken. The plus one is taken at the first.
    """

    own_ohm: tuple[float, ...]
    between_ohm: tuple[float, ...]
    minus_at: int = 0


@dataclass(frozen=True, slots=True)
class Flow:
    """What flows, A, discharge positive: in each pack, and in each length of both rails."""

    packs_a: tuple[float, ...]
    plus_a: tuple[float, ...]
    minus_a: tuple[float, ...]
    terminal_v: float


def bar(own_ohm: Sequence[float]) -> Row:
    """Packs on a common bar."""
    return Row(tuple(own_ohm), (0.0,) * (len(own_ohm) - 1))


def flow(
    row: Row, load_a: float, rest_v: Sequence[float] | None = None, gone: Sequence[int] = ()
) -> Flow:
    """Solve the network.

    Parameters
    ----------
    row
        The packs and their rails, ohm.
    load_a
        Drawn at the main leads, A; negative while charging.
    rest_v
        Rest voltage of each pack, V; left out, all alike.
    gone
        Packs that are off: their rails still carry.

    Returns
    -------
    Flow
        In each pack and in each length of rail; ``terminal_v`` against the packs' rest voltage
        where none was given.

    Notes
    -----
    Nodal analysis: the conductances of all branches, the currents that flow into each node, and
    one linear system. On a common bar it is one equation.
    """
    packs = len(row.own_ohm)
    rests = np.zeros(packs) if rest_v is None else np.asarray(rest_v, float)
    own = np.array([0.0 if i in gone else 1.0 / ohm for i, ohm in enumerate(row.own_ohm)])
    if not any(row.between_ohm):
        volts = (own @ rests - load_a) / own.sum()
        none = (0.0,) * (packs - 1)
        return Flow(tuple((own * (rests - volts)).tolist()), none, none, float(volts))
    return _in_a_row(row, load_a, rests, own)


def _in_a_row(row: Row, load_a: float, rests: Floats, own: Floats) -> Flow:
    packs, rails = own.size, 1.0 / np.asarray(row.between_ohm, float)
    matrix, into = np.zeros((2 * packs, 2 * packs)), np.zeros(2 * packs)
    for i in range(packs):  # node i is the pack's plus, node packs + i its minus
        _branch(matrix, i, packs + i, own[i])
        into[i] += own[i] * rests[i]
        into[packs + i] -= own[i] * rests[i]
    for i, siemens in enumerate(rails):
        _branch(matrix, i, i + 1, siemens)
        _branch(matrix, packs + i, packs + i + 1, siemens)
    into[0] -= load_a
    into[packs + row.minus_at] += load_a
    free = np.arange(2 * packs) != packs + row.minus_at  # there the voltage is counted from
    volts = np.zeros(2 * packs)
    volts[free] = np.linalg.solve(matrix[np.ix_(free, free)], into[free])
    plus, minus = volts[:packs], volts[packs:]
    return Flow(
        tuple((own * (rests - plus + minus)).tolist()),
        tuple((rails * (plus[1:] - plus[:-1])).tolist()),
        tuple((rails * (minus[:-1] - minus[1:])).tolist()),
        float(plus[0]),
    )


def _branch(matrix: Floats, a: int, b: int, siemens: float) -> None:
    matrix[a, a] += siemens
    matrix[b, b] += siemens
    matrix[a, b] -= siemens
    matrix[b, a] -= siemens
