"""A capture of either bus, decoded by the profile that is named."""

from pathlib import Path
from typing import cast

from nipper.core.documents import parse_json, read_text
from nipper.core.link import points
from nipper.core.link.answer import USUAL_PROFILE
from nipper.core.link.capture import SIGN_OPEN, listen, read_frames
from nipper.core.link.capture import to_json as bus_json
from nipper.core.link.profile import load_profile


def decode_capture(capture: Path, profile: str | None) -> dict[str, object]:
    """The document of ``nipper link --decode``: of a capture of frames, or of a table of Modbus
    registers where the profile is one of registers.

    Raises
    ------
    InputError
        The capture or the profile cannot be used.
    """
    name = profile or USUAL_PROFILE
    if of_registers(name):
        return _registers(capture, points.load_registers(name))
    found = load_profile(name)
    return bus_json(listen(found, read_frames(capture)), found)


def known_profile(name: str) -> None:
    """Raise :class:`InputError` unless there is such a profile, of either kind."""
    if of_registers(name):
        points.load_registers(name)
    else:
        load_profile(name)


def of_registers(name: str) -> bool:
    """Whether a profile, by its name or its file, is one of registers."""
    if name in points.BUNDLED:
        return True
    path = Path(name)
    if not path.suffix or not path.is_file():
        return False
    document = parse_json(read_text(path), name)
    told = cast("dict[str, object]", document) if isinstance(document, dict) else {}
    return told.get("transport") == "rs485"


def _registers(capture: Path, profile: points.Registers) -> dict[str, object]:
    told = points.tell(profile, points.read_table(capture))
    doubts = list(told.troubles)
    if profile.current_positive == "open" and "current_a" in told.values:
        doubts.append(SIGN_OPEN)
    if told.missing:
        doubts.append(f"not in this capture: {', '.join(told.missing)}")
    return {
        "format": "nipper-link-capture",
        "version": 1,
        "profile": profile.name,
        "values": dict(told.values),
        "messages": [],
        "stale": [],
        "missing": list(told.missing),
        "not_told": [],
        "doubts": doubts,
    }
