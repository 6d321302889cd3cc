"""A bank of unlike packs: the setup of one of them, and changes to one of them."""

from collections.abc import Mapping, Sequence
from typing import Any, cast

from nipper.core.errors import InputError
from nipper.core.setup.bank import Setup
from nipper.core.setup.packs import OwnPack, default_name, leaves, may_differ, merged
from nipper.core.setup.paths import get, put
from nipper.core.setup.reading import parse

COMMON = "packs"


def pack_names(setup: Setup) -> tuple[str, ...]:
    """The packs' names, in order."""
    given = [pack.name for pack in setup.packs]
    given += [None] * (setup.packs_in_parallel - len(given))
    return tuple(name or default_name(i) for i, name in enumerate(given))


def with_names(setup: Setup, names: Sequence[str]) -> Setup:
    """The same bank, its packs called as they are called elsewhere."""
    like = [OwnPack.model_construct()] * (setup.packs_in_parallel - len(setup.packs))
    own = [*setup.packs, *like]
    called = [
        pack.model_copy(update={"name": name}) for pack, name in zip(own, names, strict=False)
    ]
    return setup.model_copy(update={"packs": tuple(called + own[len(called) :])})


def pack_number(setup: Setup, name: str) -> int:
    """The number, from 0, of the pack of that name; :class:`InputError` names those there are."""
    names = pack_names(setup)
    for i, known in enumerate(names):
        if known.lower() == name.strip().lower():
            return i
    raise InputError("--pack", name, f"one of {', '.join(names)}")


def pack_setup(setup: Setup, number: int) -> Setup:
    """The settings of one pack, with all that is the bank's: what its own BMS and cells go by."""
    if number >= len(setup.packs):
        return setup
    pack = setup.packs[number]
    if pack.model_fields_set <= {"name"}:
        return setup.model_copy(update={COMMON: ()}).within_bank(setup.bank_ah, ())
    own = pack.model_dump(mode="json")
    own.pop("name", None)
    common = setup.model_dump(mode="json", exclude_none=True, exclude={COMMON})
    made = parse(merged(common, own), f"packs[{number}]")
    return made.within_bank(setup.bank_ah, tuple(leaves(own)))


def pack_setups(setup: Setup) -> tuple[Setup, ...]:
    """The settings of every pack."""
    return tuple(pack_setup(setup, i) for i in range(setup.packs_in_parallel))


def own_paths(setup: Setup, number: int) -> list[str]:
    """Which settings one pack has of its own."""
    if number >= len(setup.packs):
        return []
    return leaves(setup.packs[number].model_dump(mode="json"))


def unlike(setup: Setup) -> bool:
    """Whether the packs differ in more than their names and addresses."""
    return any(
        path != "link.address" for i in range(len(setup.packs)) for path in own_paths(setup, i)
    )


def put_own(setup: Setup, number: int, changes: Mapping[str, object]) -> Setup:
    """A new setup in which one pack has those values of its own.

    A value like the common one is no longer the pack's own. What cannot differ is changed for all.

    Raises
    ------
    InputError
        When a value cannot stand at its path.
    """
    of_all = {path: value for path, value in changes.items() if not may_differ(path)}
    setup = put(setup, of_all) if of_all else setup
    document = setup.model_dump(mode="json", exclude_none=True)
    packs: list[dict[str, Any]] = document.setdefault(COMMON, [])
    packs += [{} for _ in range(setup.packs_in_parallel - len(packs))]
    for path, value in changes.items():
        if may_differ(path):
            _set_own(packs[number], path, value, get(setup, path))
    return parse(document, "the settings")


def _set_own(own: dict[str, Any], path: str, value: object, common: object) -> None:
    *parts, name = path.split(".")
    places = [own]
    for part in parts:
        inner = places[-1].get(part)
        if not isinstance(inner, dict):
            inner = places[-1][part] = {}
        places.append(cast("dict[str, Any]", inner))
    if value == common:
        places[-1].pop(name, None)
    else:
        places[-1][name] = value
    for part, outer in zip(reversed(parts), reversed(places[:-1]), strict=True):
        if not outer[part]:
            del outer[part]


def put_all(setup: Setup, changes: Mapping[str, object]) -> Setup:
    """A new setup in which all packs have those values: what single packs had there goes.

    Raises
    ------
    InputError
        When a value cannot stand at its path.
    """
    document = put(setup, changes).model_dump(mode="json", exclude_none=True)
    for own in document.get(COMMON, []):
        for path in changes:
            _take_out(own, path.split("."))
    return parse(document, "the settings")


def _take_out(own: dict[str, Any], path: list[str]) -> None:
    inner = own.get(path[0])
    if len(path) == 1:
        own.pop(path[0], None)
    elif isinstance(inner, dict):
        part = cast("dict[str, Any]", inner)
        _take_out(part, path[1:])
        if not part:
            del own[path[0]]


def all_alike(setup: Setup) -> Setup:
    """The packs with nothing of their own but their names and addresses."""
    document = setup.model_dump(mode="json", exclude_none=True)
    for own in document.get(COMMON, []):
        link = cast("dict[str, Any]", own.get("link") or {})
        address = link.get("address")
        for key in set(own) - {"name"}:
            del own[key]
        if address is not None:
            own["link"] = {"address": address}
    if not any(document.get(COMMON, [])):
        document.pop(COMMON, None)
    return parse(document, "the settings")
