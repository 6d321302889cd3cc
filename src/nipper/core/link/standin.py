"""Stand-ins for both ends of a link: a BMS that tells, a wire with the mistakes people make, and an
inverter that takes the limits, multiplies, ignores, waits, falls back or stops as a real one does.

Nothing here waits or sleeps: every step is told the moment it is.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum

from nipper.core.link.codec import Frame, decode, encode
from nipper.core.link.points import Registers
from nipper.core.link.profile import Profile
from nipper.core.setup import Setup

MOST_AT_ONCE = 600  # frames of one step, so that a flood cannot hold the window
FIRST_S = 5.0  # a battery that was never heard is waited for so long
USUAL_TIMEOUT_S = 10.0  # common practice
NEEDED = ("charge_voltage_limit_v", "charge_current_limit_a", "soc_pct")


class Mistake(StrEnum):
    """What may be wrong between the two ends."""

    NONE = "nothing: all is right"
    UNPLUGGED = "the plug is out"
    BIT_RATE = "another bit rate at one end"
    PROFILE = "another protocol at the inverter"
    CROSSED = "CAN high and low crossed"
    OPEN_BUS = "no resistor at either end"
    ADDRESS = "wrong address: no pack is host"
    DISABLED = "BMS not enabled in the inverter"
    PER_PACK = "the inverter multiplies a limit that is the sum already"


class Wire:
    """What of a frame reaches the other end."""

    def __init__(self, mistake: Mistake = Mistake.NONE) -> None:
        self.mistake = mistake
        self.errors = 0
        self._sent = 0

    def carries(self) -> bool:
        """Whether the next frame arrives; one that does not is counted as an error of the bus."""
        self._sent += 1
        silent = (Mistake.UNPLUGGED, Mistake.BIT_RATE, Mistake.CROSSED)
        # without resistors the edges ring: most frames are spoilt, some get through
        lost = self.mistake in silent or (self.mistake is Mistake.OPEN_BUS and self._sent % 5 != 0)
        self.errors += lost and self.mistake is not Mistake.UNPLUGGED
        return not lost


class StandInBms:
    """Sends what it knows, each message at its period. ``values`` tells what it knows at a
    moment.
    """

    def __init__(self, profile: Profile, values: Callable[[float], Mapping[str, float]]) -> None:
        self.profile, self._values = profile, values
        self._due: dict[str, float] = {}
        self._counter = 0

    def due(self, now_s: float) -> list[Frame]:
        """The frames to be sent now."""
        sent = encode(self.profile, self._values(now_s), self._counter)
        out = [s for s in sent if now_s >= self._due.get(s.message, now_s)]
        for s in out:
            self._due[s.message] = now_s + s.period_ms / 1e3
        if any("alive" in s.meaning for s in out):
            self._counter += 1
        return [Frame(s.frame.id, s.frame.data, s.frame.extended, now_s) for s in out]


class Playback:
    """Sends the frames of a capture again, each at its moment after the first."""

    def __init__(self, frames: Sequence[Frame]) -> None:
        self._frames = sorted(frames, key=lambda f: f.time_s)
        self._began_s: float | None = None
        self._next = 0

    def due(self, now_s: float) -> list[Frame]:
        """The frames to be sent now, with the time of this bus."""
        began_s = now_s if self._began_s is None else self._began_s
        self._began_s = began_s
        until_s = self._frames[0].time_s + now_s - began_s if self._frames else 0.0
        first = self._next
        while self._next < len(self._frames) and self._frames[self._next].time_s <= until_s:
            self._next += 1
        return [replace(f, time_s=now_s) for f in self._frames[first : self._next][:MOST_AT_ONCE]]


class Mode(StrEnum):
    """What an inverter does about its battery."""

    WAITING = "waits for the battery"
    CLOSED = "closed loop"
    FALLBACK = "on its own voltages"
    STOPPED = "stopped: no battery heard"


@dataclass(frozen=True, slots=True)
class Display:
    """What the inverter's screen shows: ``battery`` is a percentage, or volts when it hears
    nothing; the limits are those in force, None where it has none.
    """

    mode: Mode
    battery: str
    charge_voltage_v: float | None
    charge_a: float | None
    discharge_a: float | None
    silent_s: float | None
    values: Mapping[str, float] = field(default_factory=dict[str, float])


class StandInInverter:
    """An inverter with its own settings, listening by one profile: of messages, or of registers it
    asks for.
    """

    def __init__(self, setup: Setup, profile: Profile | Registers) -> None:
        self.setup, self.profile = setup, profile
        self.enabled = True
        self.multiplies = isinstance(profile, Profile) and profile.file.limits_of == "pack"
        self._values: dict[str, float] = {}
        self._heard_s: float | None = None
        self._began_s: float | None = None

    @property
    def timeout_s(self) -> float:
        """After how long without a word it acts."""
        link = self.setup.link
        return (link.loss_timeout_s if link else None) or USUAL_TIMEOUT_S

    def wake(self, now_s: float) -> None:
        """It is switched on: from now on it waits for its battery."""
        if self._began_s is None:
            self._began_s = now_s

    def hear(self, frame: Frame) -> None:
        """Take a frame in; one of another profile, or a spoilt one, is passed over."""
        if isinstance(self.profile, Profile):
            self.take(decode(self.profile, frame).values, frame.time_s)

    def take(self, values: Mapping[str, float], now_s: float) -> None:
        """Take in what the battery told; an inverter whose BMS is not enabled does not look."""
        if self.enabled and values:
            self._values |= values
            self._heard_s = now_s

    def display(self, now_s: float, bank_v: float) -> Display:
        """What it shows and does now."""
        self.wake(now_s)
        mode = self._mode(now_s)
        silent_s = None if self._heard_s is None else now_s - self._heard_s
        if mode is Mode.CLOSED:
            return self._closed(silent_s)
        volts = f"{bank_v:.1f} V"
        if mode is Mode.STOPPED:
            return Display(mode, volts, None, 0.0, 0.0, silent_s)
        link, charging = self.setup.link, self.setup.charging
        return Display(
            mode,
            volts,
            charging.absorption_v if charging else None,
            link.inverter_max_charge_a if link else None,
            link.inverter_max_discharge_a if link else None,
            silent_s,
        )

    def _mode(self, now_s: float) -> Mode:
        """From what was heard, and how long ago."""
        known = all(q in self._values for q in NEEDED if q in self.profile.quantities)
        if self._heard_s is not None and known and now_s - self._heard_s <= self.timeout_s:
            return Mode.CLOSED
        began_s = now_s if self._began_s is None else self._began_s
        if self._heard_s is None and now_s - began_s < FIRST_S:
            return Mode.WAITING
        link = self.setup.link
        stops = link is not None and link.on_loss == "stop" and link.mode == "closed"
        return Mode.STOPPED if stops else Mode.FALLBACK

    def _closed(self, silent_s: float | None) -> Display:
        """The least of its own and the received limits, times the packs where it multiplies."""
        told, link = self._values, self.setup.link
        times = told.get("packs_online", 1.0) if self.multiplies else 1.0
        own = {
            "charge": link.inverter_max_charge_a if link else None,
            "discharge": link.inverter_max_discharge_a if link else None,
        }
        limits: dict[str, float | None] = {}
        for side, own_a in own.items():
            received = told.get(f"{side}_current_limit_a")
            both = [
                v for v in (None if received is None else received * times, own_a) if v is not None
            ]
            limits[side] = min(both, default=None)
        soc = told.get("soc_pct")
        return Display(
            Mode.CLOSED,
            "– %" if soc is None else f"{soc:.0f} %",
            told.get("charge_voltage_limit_v"),
            limits["charge"],
            limits["discharge"],
            silent_s,
            dict(told),
        )
