"""A live watch, a log pulled by address, settings written and read back: over Modbus TCP and RTU,
on devices that answer, answer wrongly, or not at all.
"""

import itertools
import json
import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nipper.core.link import points
from nipper.core.link.ask import ask
from nipper.core.link.modbus import ModbusDevice, StandInBms, StandInDevice
from nipper.core.link.pull import kept, pull_log
from nipper.core.link.registers import LinkError, standin_map, write_settings
from nipper.core.link.replay import Replay
from nipper.core.link.watch import Missed, Sample, Source, Watch, pull, samples
from nipper.core.presets import new_setup
from nipper.core.report.watch import ONLY_ENDS, large, names, number, progress
from nipper.core.setup import put
from tests.builders import charge_log
from tests.conftest import REFERENCE

SETUP = new_setup("lfp", 8, 100.0)
PLAIN = points.load_registers("registers-simple")
VALUES = {"pack_v": 27.6, "current_a": -12.3, "soc_pct": 55.0, "temperature_c": -3.5}
CELLS = [3.45 + 0.001 * i for i in range(8)]
NOON = 1.79e9


class Held:
    """A device of nothing but numbers."""

    def __init__(self, registers):
        self.registers, self.asked = dict(registers), []

    def read(self, address, count):
        self.asked.append((address, count))
        if any(a not in self.registers for a in range(address, address + count)):
            raise LinkError(f"no register {address}")
        return [self.registers[a] for a in range(address, address + count)]

    def write(self, address, values):
        self.registers |= dict(zip(itertools.count(address), values))

    def close(self):
        pass


@pytest.fixture(scope="module")
def log():
    return charge_log(SETUP, np.zeros(8), charges=3, interval_s=60.0)


# what is told now


@pytest.mark.parametrize("serial", [False, True], ids=["tcp", "rtu"])
def test_cells_and_a_kept_log_come_over_both_lines(serial, log):
    live = lambda: points.write(PLAIN, VALUES, CELLS)  # noqa: E731
    with StandInDevice(kept(log, PLAIN.log), 3, live, serial) as device:
        line = ModbusDevice(device.place, 3)
        told = ask(line, PLAIN)
        assert dict(told.values) == pytest.approx(VALUES)
        assert told.cells == pytest.approx(CELLS)
        back = pull_log(line, PLAIN.log)
        line.close()
    day = log.select(log.time_s >= log.time_s[-1] - 86400.0)
    assert back.rows == min(day.rows, 1440)
    assert np.isin(back.time_s, day.time_s).all()
    same = day.select(np.isin(day.time_s, back.time_s))
    assert np.abs(back.cell_v - same.cell_v).max() <= 0.0006
    assert np.abs(back.current_a - same.current_a).max() <= 0.051


def test_another_address_on_the_line_is_no_answer():
    with StandInDevice(points.write(PLAIN, VALUES, CELLS), 3, serial=True) as device:
        line = ModbusDevice(device.place, 4)
        with pytest.raises(LinkError, match="device 4"):
            ask(line, PLAIN)
        line.close()


def test_the_cells_of_a_sunspec_module_are_those_pysunspec2_wrote():
    # tests/reference/sunspec_examples.json: encoded by pysunspec2
    examples = json.loads((REFERENCE / "sunspec_examples.json").read_text())["examples"]
    example = next(e for e in examples if e["model"] == 805)
    words = bytes.fromhex(example["hex"])
    registers = {40000: 0x5375, 40001: 0x6E53}
    for i in range(0, len(words), 2):
        registers[40002 + i // 2] = int.from_bytes(words[i : i + 2], "big")
    end = 40002 + len(words) // 2
    device = Held(registers | {end: 0xFFFF, end + 1: 0})
    told = ask(device, points.load_registers("sunspec-module"))
    cells = example["groups"]["lithium-ion-module-cell"]
    assert told.cells == pytest.approx([c["CellV"] for c in cells])
    assert told.values["pack_v"] == pytest.approx(example["values"]["V"])
    assert told.values["temperature_c"] == pytest.approx(example["values"]["CellTmpMin"])
    assert all(count <= 100 for _, count in device.asked)


@pytest.mark.parametrize("name", points.BUNDLED)
def test_every_map_that_ships_is_asked_for_what_it_tells(name):
    profile = points.load_registers(name)
    told = ask(Held(points.write(profile, VALUES, CELLS)), profile)
    assert told.values["pack_v"] == pytest.approx(27.6)
    assert told.values["current_a"] == pytest.approx(-12.3)
    if profile.cells is not None:
        assert told.cells == pytest.approx(CELLS)


def test_a_device_of_another_kind_is_refused():
    with pytest.raises(LinkError, match="SunSpec's mark"):
        ask(Held({}), points.load_registers("sunspec-battery"))
    with pytest.raises(LinkError, match="is it for this device"):
        ask(Held(dict.fromkeys(points.wanted(PLAIN), 0xFFFF)), PLAIN)


@given(st.dictionaries(st.sampled_from(points.wanted(PLAIN)), st.integers(0, 0xFFFF)))
def test_whatever_stands_there_no_nonsense_is_taken(registers):
    told = points.tell(PLAIN, registers)
    assert all(math.isnan(v) or 0.05 <= v <= 6.0 for v in told.cells)
    assert len(told.cells) <= 32
    assert all(math.isfinite(v) for v in told.values.values())


# the log it keeps


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({999: 0}, "rows of a log"),
        ({999: 60000}, "rows of a log"),
        ({1000: 0, 1001: 0}, "clock"),  # 1970
        ({}, None),
    ],
)
def test_a_log_that_is_none_is_refused(change, said, log):
    first = log.select(slice(0, 1))
    device = Held(kept(first, PLAIN.log) | change)
    if said is None:
        assert pull_log(device, PLAIN.log).rows == 1
        return
    with pytest.raises(LinkError, match=said):
        pull_log(device, PLAIN.log)


@given(st.data())
def test_rows_of_anything_are_a_log_or_refused(data):
    rows = data.draw(st.integers(1, 4))
    words = data.draw(st.lists(st.integers(0, 0xFFFF), min_size=rows * 40, max_size=rows * 40))
    device = Held({999: rows} | dict(enumerate(words, 1000)))
    try:
        found = pull_log(device, PLAIN.log)
    except LinkError:
        return
    assert (np.diff(found.time_s) > 0).all()
    assert found.rows + found.unreadable <= rows
    cells = found.cell_v[np.isfinite(found.cell_v)]
    assert ((cells >= 0.049) & (cells <= 6.0)).all()


def test_what_is_not_known_comes_back_as_not_known(log):
    part = log.select(slice(0, 3))
    part.cell_v[1, 2] = np.nan
    back = pull_log(Held(kept(part, PLAIN.log)), PLAIN.log)
    assert np.isnan(back.cell_v[1, 2])
    assert back.cells == 8


def test_the_stand_in_keeps_what_the_record_holds(log):
    source = Source("", 1, PLAIN, 1.0, Replay(SETUP, log))
    assert pull(source, log).rows > 100
    with pytest.raises(LinkError, match="no log yet"):
        pull(source, None)
    bank = Source("", 1, points.load_registers("sunspec-battery"), 1.0, Replay(SETUP, log))
    with pytest.raises(LinkError, match="tells no log"):
        pull(bank, log)


# watching


def test_readings_of_the_stand_in_come_with_its_clock(log):
    stop = iter([False, False, True])
    found = list(samples(Source("", 1, PLAIN, 0.01, Replay(SETUP, log)), lambda: next(stop, True)))
    assert len(found) >= 1
    assert all(isinstance(one, Sample) and len(one.cells) == 8 for one in found)


def test_a_device_that_goes_away_is_told_and_tried_again():
    asked = itertools.count()
    with StandInDevice(points.write(PLAIN, VALUES, CELLS)) as device:
        source = Source(device.place, 1, PLAIN, 0.01)
        coming = samples(source, lambda: next(asked) > 400)
        assert isinstance(next(coming), Sample)
    assert isinstance(next(coming), Missed)
    coming.close()


def test_nothing_at_the_first_is_an_error():
    with pytest.raises(LinkError, match="nothing does"):
        next(samples(Source("127.0.0.1:1", 1, PLAIN, 1.0), lambda: False))


def sample(minute, mv=40.0, volts=27.6, amps=2.0):
    cells = [volts / 8] * 8
    cells[4] += mv / 1e3
    return Sample(NOON + 60.0 * minute, tuple(cells), volts, amps, 99.0, 20.0)


def test_minutes_of_absorption_are_counted_from_where_it_is_held():
    watch = Watch(SETUP)
    assert watch.now is None
    for minute in range(5):
        assert watch.add(sample(minute, volts=27.0, amps=40.0)) == ""
    assert watch.now.absorption_min is None
    for minute in range(5, 20):
        watch.add(sample(minute))
    assert watch.now.absorption_min == pytest.approx(14.0)
    watch.add(sample(20, amps=-30.0))  # the charger is gone, a load draws
    assert watch.now.absorption_min is None
    watch.add(sample(21, amps=0.0))  # held, though hardly anything flows
    assert watch.now.absorption_min == 0.0


def test_half_an_hour_on_the_deviation_is_compared_by_itself():
    watch = Watch(SETUP)
    for minute in range(30):
        watch.add(sample(minute, mv=60.0 - minute))
        assert watch.compared is None
    assert "in 1 min" in progress(watch)
    watch.add(sample(30, mv=30.0))
    assert "60 → 30 mV" in progress(watch)
    assert "At this pace" in progress(watch)
    watch.add(sample(50, mv=10.0))
    assert "60 → 30 mV" in progress(watch)  # of the first half hour


def test_it_is_compared_from_where_the_current_has_fallen():
    watch = Watch(SETUP)
    for minute in range(10):
        watch.add(sample(minute, mv=90.0, amps=30.0))
    assert "after the current fell" in progress(watch)
    for minute in range(10, 41):
        watch.add(sample(minute, mv=70.0 - minute))
    assert "60 → 30 mV" in progress(watch)


def test_a_deviation_that_does_not_shrink_is_said():
    watch = Watch(SETUP)
    for minute in range(32):
        watch.add(sample(minute, mv=60.0))
    assert "does not shrink" in progress(watch)


@pytest.mark.parametrize(
    ("one", "said"),
    [
        (Sample(NOON, (3.3,)), "no two cells"),
        (Sample(NOON, ()), "no two cells"),
        (Sample(NOON, (float("nan"),) * 8), "no two cells"),
        (Sample(NOON, (3.3,) * 15), "15 cells are told, this pack has 8"),
        (Sample(NOON - 600.0, (3.3,) * 8), "the clock went back"),
        (Sample(NOON + 600.0, (3.3, 3.2)), "2 cells are told, 8 were before"),
    ],
)
def test_a_reading_that_cannot_be_is_left_out_and_told(one, said):
    watch = Watch(SETUP)
    watch.add(sample(0))
    assert said in watch.add(one)
    assert len(watch.rows) == 1


def test_a_watch_is_an_ordinary_log_afterwards():
    watch = Watch(SETUP)
    for minute in range(3):
        watch.add(sample(minute))
    watch.add(Sample(NOON + 600.0, (3.3,) * 8))
    watch.mark("  balancer on ")
    watch.mark(" ")
    found = watch.log()
    assert found.rows == 4
    assert found.cells == 8
    assert found.pack_v[-1] == pytest.approx(26.4)
    assert np.isnan(found.current_a[-1])
    assert [m.note for m in watch.marks] == ["balancer on"]


def test_only_the_ends_are_watched_but_make_no_log():
    watch = Watch(SETUP)
    assert watch.add(Sample(NOON, (3.45, 3.41), 27.6, 1.0)) == ""
    assert watch.log() is None
    assert large(watch.now)["deviation"] == "40 mV"
    assert names(watch.now, 8)["highest"] == "highest cell"
    assert ONLY_ENDS.endswith("no log of cells.")


def test_large_numbers_are_read_at_a_glance():
    watch = Watch(SETUP)
    watch.add(sample(0, amps=-0.04))
    told, under = large(watch.now), names(watch.now, 8)
    assert told["current"] == "0.0 A"
    assert told["highest"] == "3.490 V"
    assert under["highest"] == "highest: cell 5"
    assert number(float("nan"), 1, "A") == "–"
    assert set(large(None).values()) == {"–"}


# writing


def test_settings_are_written_and_read_back():
    new = put(SETUP, {"protection.cell_over_voltage.trip_v": 3.6, "balancer.delta_mv": 7.0})
    with StandInBms(SETUP) as bms:
        line = ModbusDevice(bms.place)
        paths = ["protection.cell_over_voltage.trip_v", "balancer.delta_mv"]
        held = write_settings(line, new, standin_map(), paths)
        assert held["protection.cell_over_voltage.trip_v"] == 3.6
        assert held["balancer.delta_mv"] == 7.0
        again = write_settings(line, SETUP, standin_map(), [])
        assert again["balancer.delta_mv"] == 7.0
        line.close()


def test_a_device_that_keeps_its_own_value_is_told_with_what_was_written_before():
    class Stubborn(Held):
        def write(self, address, values):
            if address != stubborn:
                super().write(address, values)

    registers = standin_map()
    at = {r.path: r.address for r in registers.registers}
    stubborn = at["balancer.delta_mv"]
    new = put(SETUP, {"protection.cell_over_voltage.trip_v": 3.6, "balancer.delta_mv": 7.0})
    device = Stubborn({r.address: 1 for r in registers.registers})
    with pytest.raises(LinkError, match="the device holds 1; written before: protection"):
        write_settings(
            device, new, registers, ["protection.cell_over_voltage.trip_v", "balancer.delta_mv"]
        )


def test_a_value_without_room_stops_before_anything_is_written():
    device = Held({r.address: 1 for r in standin_map().registers})
    far = put(SETUP, {"charging.absorption_v": 29.0, "capacity_ah": 100_000.0})
    with pytest.raises(LinkError, match="capacity_ah"):
        write_settings(device, far, standin_map(), ["charging.absorption_v", "capacity_ah"])
    assert set(device.registers.values()) == {1}
    with pytest.raises(LinkError, match="it has no nonsense"):
        write_settings(device, SETUP, standin_map(), ["nonsense"])
