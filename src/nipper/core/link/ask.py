"""Asking a device for what a profile of registers tells: a plain map in as few requests as may be,
SunSpec's chain model by model.
"""

from collections.abc import Iterable

from nipper.core.link import points
from nipper.core.link.registers import LinkError, Registers, blocks

SPEAKS = {"pack_v", "soc_pct", "highest_cell_v"}  # without any of these nobody is there


def ask(device: Registers, profile: points.Registers) -> points.Told:
    """What the device tells now.

    Raises
    ------
    LinkError
        It does not answer, or holds none of what the profile names.
    """
    chained = any(p.model for p in profile.points)
    registers = _chain(device, profile) if chained else _plain(device, profile)
    told = points.tell(profile, registers)
    if not told.cells and not told.values.keys() & SPEAKS:
        raise LinkError(f"expected what {profile.name} tells: is it for this device?")
    return told


def read_blocks(device: Registers, addresses: Iterable[int]) -> dict[int, int]:
    """The registers at these addresses, rising."""
    out: dict[int, int] = {}
    for first, count in blocks(list(addresses)):
        out |= dict(zip(range(first, first + count), device.read(first, count), strict=True))
    return out


def _plain(device: Registers, profile: points.Registers) -> dict[int, int]:
    return read_blocks(device, points.wanted(profile))


def _chain(device: Registers, profile: points.Registers) -> dict[int, int]:
    """SunSpec: where it begins, then head after head; only the models asked for are read whole."""
    out, at = _begin(device)
    names = {p.model for p in profile.points}
    for _ in range(points.MOST_MODELS):
        if at > 0xFFFD:
            break
        number, length = device.read(at, 2)
        out |= {at: number, at + 1: length}
        if number == points.END_MODEL:
            break
        if number in names:
            end = min(at + 2 + length, 0x10000)
            out |= read_blocks(device, range(at, end))
        at += 2 + length
    return out


def _begin(device: Registers) -> tuple[dict[int, int], int]:
    """The mark of SunSpec, at one of the three places where it may stand."""
    for at in points.SUNS_AT:
        try:
            mark = device.read(at, 2)
        except LinkError:
            continue
        if tuple(mark) == points.SUNS:
            return {at: mark[0], at + 1: mark[1]}, at + 2
    places = " or ".join(map(str, points.SUNS_AT))
    raise LinkError(f"expected SunSpec's mark at register {places}: none stands there")
