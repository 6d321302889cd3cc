"""The values below Protect's figure, tab by tab: which settings stand where."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from nipper.app.widgets.form import Field, SettingsForm, paths_of_limit
from nipper.core.setup import Balancer, Cell, Charging, Protection, SeparateBalancer, Setup, Usage
from nipper.core.setup.part import Part
from nipper.core.setup.wiring import Wiring


@dataclass(frozen=True, slots=True)
class Block:
    """A column of settings of one part under a heading, which stands in the row ``top``."""

    part: str
    model: type[Part]
    title: str
    names: str
    column: int
    top: int = 0


LIMITS = {  # tabs of limits, each with trip, release, delay and alarm in a row
    "Voltages": "cell_over_voltage cell_under_voltage pack_over_voltage pack_under_voltage",
    "Currents": "charge_over_current discharge_over_current short_circuit",
    "Temperatures": "charge_over_temperature charge_under_temperature discharge_over_temperature "
    "discharge_under_temperature mosfet_over_temperature",
}
REFERENCES = Block("protection", Protection, "References", "soc_full_v soc_empty_v power_off_v", 7)
LEAD = "{0}cable_mm2 {0}cables_in_parallel {0}cable_insulation_c {0}cable_length_m"
SECOND = "2nd balancer"
BLOCKS = {
    "Charge, level": (
        Block("charging", Charging, "Charger",
              "absorption_v absorption_min float_v max_charge_a tail_a", 0),
        Block("balancer", Balancer, "Balancer",
              "switched kind current_a start_v delta_mv when", 2),
        Block("charging", Charging, "Equalise", "equalise_v equalise_every_days", 4),
        Block("balancer", Balancer, "Balancer, more",
              "in_over_voltage at_once sleep_after_min", 4, top=3),
    ),
    SECOND: (
        Block("separate_balancer", SeparateBalancer, "Separate balancer",
              "kind current_a start_v delta_mv when", 0),
        Block("separate_balancer", SeparateBalancer, "Its own limits", "low_v high_v low_c", 2),
        Block("separate_balancer", SeparateBalancer, "More",
              "switched at_once sleep_after_min idle_a", 4),
    ),
    "Loads": (
        Block("usage", Usage, "Loads", "continuous_w inrush_w inrush_s kwh_per_day", 0),
        Block("cell", Cell, "Cell's pulse", "pulse_discharge_a pulse_s", 2),
        Block("wiring", Wiring, "Fuse of one pack", "fuse_a fuse_kind fuse_breaks_ka", 4),
        Block("wiring", Wiring, "Whole bank", "main_fuse_a main_cable_mm2", 6),
    ),
    "Pack": (
        Block("", Setup, "Pack",
              "name chemistry cells_in_series capacity_ah packs_in_parallel", 0),
        Block("cell", Cell, "Cell, by its sheet",
              "max_v min_v max_charge_a max_discharge_a resistance_mohm", 2),
        Block("wiring", Wiring, "Wiring of one pack",
              "fuse_a cable_mm2 cable_length_m standby_w", 4),
    ),
    "Leads": (
        Block("wiring", Wiring, "Lead of one pack", LEAD.format(""), 0),
        Block("wiring", Wiring, "Main lead", LEAD.format("main_"), 2),
    ),
}  # fmt: skip


class LateForm(SettingsForm):
    """A form whose fields are made when it is first looked at: those of all tabs together take
    longer than the window may stand still.
    """

    def __init__(
        self, fill: Callable[[SettingsForm], None], paths: Sequence[str], rows: int
    ) -> None:
        super().__init__()
        self._fill: Callable[[SettingsForm], None] | None = fill
        self._planned, self.rows = list(paths), rows

    @property
    def paths(self) -> list[str]:
        """The settings that can be typed here."""
        return self._planned

    def field(self, path: str) -> Field:
        """The field of a setting."""
        self._make()
        return super().field(path)

    def show_setup(self, setup: Setup) -> None:
        """Show the values."""
        self._make()
        super().show_setup(setup)

    def height_of(self, rows: int) -> int:
        """How high a form of so many rows is, px; the fields of this one must be there."""
        step = self.field(self._planned[0]).sizeHint().height() + self.spacing()
        return self.sizeHint().height() + (rows - self.rows) * step

    def _make(self) -> None:
        fill, self._fill = self._fill, None
        if fill is not None:
            fill(self)


def make_forms() -> dict[str, LateForm]:
    """The forms by the titles of their tabs."""
    limits = {title: _limits(tuple(names.split())) for title, names in LIMITS.items()}
    return limits | {title: _blocks(blocks) for title, blocks in BLOCKS.items()}


def _limits(names: tuple[str, ...]) -> LateForm:
    beside = (REFERENCES,) if "cell_over_voltage" in names else ()

    def fill(form: SettingsForm) -> None:
        form.add_limits(names)
        _add(form, beside)

    paths = [path for name in names for path in paths_of_limit(name)]
    return LateForm(fill, paths + _paths(beside), 1 + len(names))


def _blocks(blocks: tuple[Block, ...]) -> LateForm:
    more = ("balancer.idle_a",) if blocks is BLOCKS["Pack"] else ()

    def fill(form: SettingsForm) -> None:
        _add(form, blocks)
        form.add_paths(more, 4, top=5)

    rows = max(block.top + 1 + len(block.names.split()) for block in blocks)
    return LateForm(fill, [*_paths(blocks), *more], rows)


def _paths(blocks: Sequence[Block]) -> list[str]:
    return [f"{b.part}.{n}".removeprefix(".") for b in blocks for n in b.names.split()]


def _add(form: SettingsForm, blocks: Sequence[Block]) -> None:
    for block in blocks:
        names = tuple(block.names.split())
        form.add_part(block.part, block.model, block.title, names, block.column, block.top)
