"""Battery and inverter at work on one line, step by step: what is heard, what the inverter does,
and how long it takes to notice that the plug is out.
"""

from abc import ABC, abstractmethod
from collections import deque
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from nipper.core.link.capture import Bus, listen
from nipper.core.link.codec import Frame
from nipper.core.link.line import VIRTUAL, CanLine
from nipper.core.link.points import Registers
from nipper.core.link.profile import Profile, bundled
from nipper.core.link.standin import (
    Display,
    Mistake,
    Mode,
    Playback,
    StandInBms,
    StandInInverter,
    Wire,
)
from nipper.core.setup import Setup

WINDOW_S = 30.0  # of the bus that is kept for judging it
MOST_FRAMES = 20_000
JUDGED_FRAMES = 1500  # the newest: more say nothing new, and a flood must not hold the window


@dataclass(frozen=True, slots=True)
class Loss:
    """The plug was pulled: how long until the inverter did something, what, and how long until it
    was back after plugging in. None: not yet.
    """

    pulled_s: float
    reaction_s: float | None = None
    after: Mode | None = None
    plugged_s: float | None = None
    back_s: float | None = None


class Loop(ABC):
    """A stand-in battery and a stand-in inverter on one line, whatever the line is.

    Parameters
    ----------
    values : what the battery knows at a moment
    """

    def __init__(
        self,
        setup: Setup,
        profile: Profile | Registers,
        values: Callable[[float], Mapping[str, float]],
    ) -> None:
        self.setup, self.profile, self._values = setup, profile, values
        self.wire = Wire()
        self.inverter = StandInInverter(setup, profile)
        self.frames: deque[Frame] = deque(maxlen=MOST_FRAMES)
        self.loss: Loss | None = None

    @abstractmethod
    def step(self, now_s: float) -> None:
        """Send what is due, hear what came."""

    @abstractmethod
    def bus(self, now_s: float) -> Bus:
        """What was heard of late, judged."""

    @abstractmethod
    def other_profile(self) -> Profile | Registers:
        """One that is not the battery's, for the mistake of choosing it."""

    @abstractmethod
    def close(self) -> None:
        """Let go of the line."""

    def make_mistake(self, mistake: Mistake) -> None:
        """From now on that is wrong, and nothing else; the inverter begins anew."""
        self.wire = Wire(mistake)
        self.frames.clear()
        self.loss = None
        listens = self.other_profile() if mistake is Mistake.PROFILE else self.profile
        self.inverter = StandInInverter(self.setup, listens)
        self.inverter.enabled = mistake is not Mistake.DISABLED
        self.inverter.multiplies = self.inverter.multiplies or mistake is Mistake.PER_PACK

    def display(self, now_s: float) -> Display:
        """What the inverter shows now."""
        return self.inverter.display(now_s, self._values(now_s).get("pack_v", 0.0))

    def pull(self, now_s: float) -> None:
        """Pull the plug, on purpose."""
        self.wire = Wire(Mistake.UNPLUGGED)
        self.loss = Loss(now_s)

    def plug_in(self, now_s: float) -> None:
        """Put it back."""
        self.wire = Wire()
        if self.loss is not None and self.loss.plugged_s is None:
            self.loss = Loss(self.loss.pulled_s, self.loss.reaction_s, self.loss.after, now_s)

    def _watch_loss(self, now_s: float) -> None:
        loss = self.loss
        if loss is None:
            return
        mode = self.display(now_s).mode
        if loss.reaction_s is None and loss.plugged_s is None and mode is not Mode.CLOSED:
            self.loss = Loss(loss.pulled_s, now_s - loss.pulled_s, mode)
        elif loss.plugged_s is not None and loss.back_s is None and mode is Mode.CLOSED:
            back_s = now_s - loss.plugged_s
            self.loss = Loss(loss.pulled_s, loss.reaction_s, loss.after, loss.plugged_s, back_s)


class Talk(Loop):
    """A CAN bus with a stand-in at each end, or with a real battery and only the ear.

    Parameters
    ----------
    capture : frames that are sent again instead of what a stand-in battery would tell
    """

    def __init__(
        self,
        setup: Setup,
        profile: Profile,
        values: Callable[[float], Mapping[str, float]],
        place: str = VIRTUAL,
        capture: Sequence[Frame] | None = None,
    ) -> None:
        super().__init__(setup, profile, values)
        self._messages = profile
        rate = (setup.link.bit_rate if setup.link else None) or profile.file.bit_rate
        self._ear = CanLine(place, rate)
        self._mouth = CanLine(place, rate) if place == VIRTUAL else None
        plays = None if capture is None else Playback(capture)
        self.bms = plays or StandInBms(profile, values)

    def other_profile(self) -> Profile:
        """One that is not the battery's."""
        mine = self._messages.file.name
        return bundled("rvc-dc-source" if mine != "rvc-dc-source" else "limits-can")

    def step(self, now_s: float) -> None:
        """Send what is due, hear what came."""
        self.inverter.wake(now_s)
        if self._mouth is not None and self.wire.mistake is not Mistake.ADDRESS:
            for frame in self.bms.due(now_s):
                if self.wire.carries():
                    self._mouth.send(frame)
        for frame in self._ear.heard(now_s):
            self.frames.append(frame)
            self.inverter.hear(frame)
        self._watch_loss(now_s)

    def bus(self, now_s: float) -> Bus:
        """What was heard of late, judged."""
        recent = [f for f in self.frames if now_s - f.time_s <= WINDOW_S]
        return listen(self._messages, recent[-JUDGED_FRAMES:], now_s)

    def close(self) -> None:
        """Let go of the line."""
        self._ear.close()
        if self._mouth is not None:
            self._mouth.close()


SYMPTOMS: Mapping[Mistake, str] = {
    Mistake.BIT_RATE: "nothing is heard and the bus counts errors: the same bit rate at both ends?",
    Mistake.CROSSED: "nothing is heard and the bus counts errors: high on high, low on low?",
    Mistake.OPEN_BUS: "frames come with gaps: 60 Ω across the pair with the power off?",
    Mistake.PROFILE: "frames come and the inverter shows volts: the same protocol at both ends?",
    Mistake.ADDRESS: "not one frame, no errors: which pack is host, is it switched on?",
    Mistake.DISABLED: "frames come and the inverter shows volts: is its BMS switched on?",
    Mistake.PER_PACK: "limits are too high by the number of packs: who multiplies?",
    Mistake.UNPLUGGED: "not one frame, no errors: which socket is the plug in?",
}


def recognise(talk: Loop, now_s: float) -> list[Mistake]:
    """Which mistakes what is seen speaks for, likeliest first; by what both ends and the bus
    show, never by what was set.
    """
    bus, shown = talk.bus(now_s), talk.display(now_s)
    known = [one.message for one in bus.heard if one.message]
    silent = not bus.heard or (bool(known) and all(name in bus.stale for name in known))
    if silent:
        if talk.wire.errors:
            return [Mistake.BIT_RATE, Mistake.CROSSED]
        return [Mistake.UNPLUGGED, Mistake.ADDRESS]
    if talk.wire.errors:
        return [Mistake.OPEN_BUS]
    if shown.mode is not Mode.CLOSED:
        return [Mistake.PROFILE, Mistake.DISABLED]
    told = bus.values.get("discharge_current_limit_a")
    profile = talk.profile
    if told is not None and isinstance(profile, Profile) and profile.file.limits_of == "pack":
        told *= bus.values.get("packs_online", 1.0)
    link = talk.setup.link
    own = link.inverter_max_discharge_a if link else None
    expected = min((v for v in (told, own) if v is not None), default=None)
    if expected is not None and shown.discharge_a is not None and shown.discharge_a > expected + 1:
        return [Mistake.PER_PACK]
    return []
