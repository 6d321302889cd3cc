"""Packs in parallel that differ: what each has of its own, merged over the bank's common values.

Objects are merged key by key, other values replaced, and ``null`` takes a part away.
"""

from collections.abc import Mapping
from functools import cache
from typing import Any, cast

from pydantic import Field, SerializerFunctionWrapHandler, create_model, model_serializer

from nipper.core.setup.pack import Balancer, Cell, SeparateBalancer
from nipper.core.setup.part import AMPERE_HOURS, Part, number
from nipper.core.setup.protection import Protection
from nipper.core.setup.wiring import Link, Wiring

LETTERS = "ABCDEFGHIJKLMNOPQRSTUVWXYZ"


class Own(Part):
    """A part of which any key may be left out; written with the keys that were given only."""

    def __eq__(self, other: object) -> bool:
        """Alike when the same keys were given: ``null`` takes a part away, absence does not."""
        if not isinstance(other, Own) or type(self) is not type(other):
            return False
        return self.model_fields_set == other.model_fields_set and super().__eq__(other)

    def __hash__(self) -> int:
        return hash((type(self), frozenset(self.model_fields_set)))

    @model_serializer(mode="wrap")
    def given(self, handler: SerializerFunctionWrapHandler) -> dict[str, Any]:
        """The keys that were given, those with ``null`` among them."""
        written = handler(self)
        return {k: written.get(k) for k in type(self).model_fields if k in self.model_fields_set}


@cache
def _partly(model: type[Part]) -> type[Own]:
    """The model with every key optional, down to the last part."""
    fields: dict[str, Any] = {}
    for name, info in model.model_fields.items():
        inner = _part_in(info.annotation)
        kind: Any = _partly(inner) if inner is not None else info.annotation
        fields[name] = (
            kind | None if not _may_be_none(kind) else kind,
            Field(default=None, title=info.title, description=info.description,
                  **_bounds(info.metadata)),
        )  # fmt: skip
    return create_model(f"Own{model.__name__}", __base__=Own, **fields)


def _part_in(annotation: Any) -> type[Part] | None:
    kinds = [annotation, *getattr(annotation, "__args__", ())]
    return next((k for k in kinds if isinstance(k, type) and issubclass(k, Part)), None)


def _may_be_none(kind: Any) -> bool:
    return type(None) in getattr(kind, "__args__", ())


def _bounds(metadata: list[Any]) -> dict[str, Any]:
    names = ("ge", "le", "gt", "lt", "max_length")
    return {n: getattr(m, n) for m in metadata for n in names if hasattr(m, n)}


class OwnPack(Own):
    """What one of several packs has of its own."""

    name: str | None = Field(default=None, max_length=200, title="name")
    cells_in_parallel: int | None = Field(default=None, ge=1, le=1000, title="cells in parallel")
    capacity_ah: float | None = number(AMPERE_HOURS, "capacity", default=None)
    cell: _partly(Cell) | None = None  # pyright: ignore[reportInvalidTypeForm] - made above
    protection: _partly(Protection) | None = None  # pyright: ignore[reportInvalidTypeForm]
    balancer: _partly(Balancer) | None = None  # pyright: ignore[reportInvalidTypeForm]
    separate_balancer: _partly(SeparateBalancer) | None = None  # pyright: ignore[reportInvalidTypeForm]
    wiring: _partly(Wiring) | None = None  # pyright: ignore[reportInvalidTypeForm]
    link: _partly(Link) | None = None  # pyright: ignore[reportInvalidTypeForm]


OF_A_PACK = frozenset(OwnPack.model_fields) - {"name"}
OF_THE_BANK = frozenset(
    (
        *("wiring.main_fuse_a", "wiring.main_cable_mm2", "wiring.main_cable_length_m"),
        *("wiring.main_cables_in_parallel", "wiring.main_cable_insulation_c"),
        *("wiring.main_fuse_kind", "wiring.main_fuse_breaks_ka", "wiring.switch_a"),
        *("wiring.joined", "wiring.between_mm2", "wiring.between_length_m", "wiring.busbar_mm2"),
        *("link.mode", "link.transport", "link.profile", "link.bit_rate", "link.on_loss"),
        *("link.loss_timeout_s", "link.low_alarm_v", "link.low_cut_v", "link.low_restart_v"),
        *("link.inverter_max_charge_a", "link.inverter_max_discharge_a", "link.mains_v"),
        *("link.battery_pins", "link.inverter_pins", "link.bus_length_m"),
        *("link.switch_count", "link.switch_on_means"),
    )
)  # the inverter and the main lead are one for all packs


def may_differ(path: str) -> bool:
    """Whether a setting can be another one in each pack."""
    return path.split(".")[0] in OF_A_PACK and path not in OF_THE_BANK


def default_name(number: int) -> str:
    """The name of a pack that was given none; numbered from 0."""
    return f"Pack {LETTERS[number]}" if number < len(LETTERS) else f"Pack {number + 1}"


def merged(common: Mapping[str, Any], own: Mapping[str, Any]) -> dict[str, Any]:
    """A pack's document: its own values over the common ones."""
    out = dict(common)
    for key, value in own.items():
        if value is None:
            out.pop(key, None)
        elif isinstance(value, dict):
            inner = out.get(key)
            base = cast("dict[str, Any]", inner) if isinstance(inner, dict) else {}
            out[key] = merged(base, cast("dict[str, Any]", value))
        else:
            out[key] = value
    return out


def leaves(own: Mapping[str, Any], before: str = "") -> list[str]:
    """The paths of a pack's own values, the name aside."""
    out: list[str] = []
    for key, value in own.items():
        path = f"{before}{key}"
        if isinstance(value, dict) and value:
            out += leaves(cast("dict[str, Any]", value), f"{path}.")
        elif path != "name":
            out.append(path)
    return out
