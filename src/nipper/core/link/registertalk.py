"""Battery and inverter on an RS-485 line: the inverter asks for the battery's registers once a
second, over the drivers of a real adapter and a pair of pseudo-terminals.
"""

from collections.abc import Callable, Mapping, Sequence
from contextlib import ExitStack

from nipper.core.link import points
from nipper.core.link.ask import ask
from nipper.core.link.capture import SIGN_OPEN, Bus, Heard
from nipper.core.link.codec import Frame
from nipper.core.link.decoding import of_registers
from nipper.core.link.modbus import ModbusDevice, StandInDevice
from nipper.core.link.profile import load_profile
from nipper.core.link.quantities import BY_NAME, NEEDED
from nipper.core.link.registers import LinkError
from nipper.core.link.standin import Mistake
from nipper.core.link.talk import Loop, Talk
from nipper.core.setup import Setup

EVERY_S = 1.0
STALE_S = 3.0  # without an answer its values count as old, as on the other bus
NO_ANSWER = (Mistake.UNPLUGGED, Mistake.BIT_RATE, Mistake.CROSSED, Mistake.ADDRESS)


class RegisterTalk(Loop):
    """The same talk over Modbus RTU."""

    def __init__(
        self,
        setup: Setup,
        profile: points.Registers,
        values: Callable[[float], Mapping[str, float]],
    ) -> None:
        super().__init__(setup, profile, values)
        self._map, self._now_s = profile, 0.0
        self._asked_s: float | None = None
        self._heard = Heard(1, False, profile.name, expected_ms=round(1e3 * EVERY_S))
        self._stack = ExitStack()
        device = StandInDevice({}, 1, self._registers, serial=True)
        place = self._stack.enter_context(device).place
        self._line = ModbusDevice(place, 1, profile.bit_rate)
        self._stack.callback(self._line.close)

    def _registers(self) -> dict[int, int]:
        """What the battery tells now; called in the stand-in's own thread."""
        return points.write(self._map, self._values(self._now_s))

    def other_profile(self) -> points.Registers:
        """One that is not the battery's."""
        mine = self._map.name
        return points.load_registers("sunspec-battery" if mine != "sunspec-battery" else
                                     "registers-simple")  # fmt: skip

    def make_mistake(self, mistake: Mistake) -> None:
        """As on any line; what was heard before is forgotten."""
        super().make_mistake(mistake)
        self._heard = Heard(1, False, self._map.name, expected_ms=round(1e3 * EVERY_S))
        self._asked_s = None

    def step(self, now_s: float) -> None:
        """Ask when it is time, and take what is answered."""
        self._now_s = now_s
        self.inverter.wake(now_s)
        if self._asked_s is None or now_s - self._asked_s >= EVERY_S:
            self._asked_s = now_s
            if self.wire.carries() and self.wire.mistake is not Mistake.ADDRESS:
                self._ask(now_s)
        self._watch_loss(now_s)

    def _ask(self, now_s: float) -> None:
        """The line carries it: the battery answers, if it is asked for what it has."""
        asked = self.inverter.profile
        assert isinstance(asked, points.Registers)
        one = self._heard
        one.count, one.last_s = one.count + 1, now_s
        one.period_ms = 1e3 * EVERY_S if one.count > 1 else None
        try:
            told = ask(self._line, asked)
        except LinkError as error:
            one.troubles[str(error).partition(": ")[2]] = one.count
            return
        one.values = dict(told.values)
        one.troubles.clear()
        self.inverter.take(told.values, now_s)

    def bus(self, now_s: float) -> Bus:
        """What was answered of late, judged."""
        one = self._heard
        heard = (one,) if one.count else ()
        stale = (one.message,) if one.count and now_s - one.last_s > STALE_S else ()
        values = {} if stale else dict(one.values)
        silent = tuple(BY_NAME[q].title for q in NEEDED if q not in values)
        doubts = [f"no longer answers: {one.message}"] if stale else list(one.troubles)
        if heard and self._map.current_positive == "open":
            doubts.append(SIGN_OPEN)
        return Bus(heard, values, (), stale, silent, (), tuple(doubts), None)

    def close(self) -> None:
        """Let go of the line."""
        self._stack.close()


def begin_talk(
    setup: Setup,
    name: str,
    values: Callable[[float], Mapping[str, float]],
    capture: Sequence[Frame] | None = None,
) -> Loop:
    """The talk by a profile: of messages on CAN, or of registers on RS-485.

    Raises
    ------
    InputError, LinkError
        The profile cannot be used, or not for that capture; the line cannot be opened.
    """
    if not of_registers(name):
        return Talk(setup, load_profile(name), values, capture=capture)
    if capture is not None:
        raise LinkError(f"{name}: frames of CAN are no registers, choose a CAN profile")
    return RegisterTalk(setup, points.load_registers(name), values)
