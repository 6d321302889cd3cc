"""A CAN line behind python-can: the virtual one that ships, or a real adapter by the same code."""

import logging
from types import TracebackType
from typing import TYPE_CHECKING, Any

from nipper.core.link.codec import Frame
from nipper.core.link.registers import LinkError

if TYPE_CHECKING:
    import can

VIRTUAL = "virtual"
MOST_AT_ONCE = 600  # frames taken in one go, so that a flood cannot hold the window
KINDS = ("virtual", "socketcan", "slcan")
logging.getLogger("can").setLevel(logging.CRITICAL)  # what goes wrong is said once, by LinkError


class CanLine:
    """A bus at a place: ``virtual``, ``socketcan:can0``, ``slcan:/dev/ttyACM0``; used with
    ``with``. Several lines of one place hear each other.

    Raises
    ------
    LinkError
        It cannot be opened.
    """

    def __init__(self, place: str = VIRTUAL, bit_rate: int = 500_000) -> None:
        kind, _, channel = place.strip().partition(":")
        if kind not in KINDS or (kind != VIRTUAL and not channel):
            expected = "virtual, socketcan:can0 or slcan:/dev/ttyACM0"
            raise LinkError(f"{place or 'the line'}: expected {expected}")
        self.place = place
        self._bus = _open(kind, channel or "nipper", bit_rate, place)

    def send(self, frame: Frame) -> None:
        """Put a frame on the bus."""
        import can

        message = can.Message(
            arbitration_id=frame.id, data=frame.data, is_extended_id=frame.extended
        )
        try:
            self._bus.send(message, timeout=0.1)
        except (can.CanError, OSError) as error:
            raise LinkError(f"{self.place}: expected to send, {_first(error)}") from None

    def heard(self, now_s: float) -> list[Frame]:
        """The frames that came since the last call; never waits."""
        import can

        out: list[Frame] = []
        try:
            while len(out) < MOST_AT_ONCE:
                message = self._bus.recv(timeout=0.0)
                if message is None:
                    break
                if message.is_error_frame or message.is_remote_frame or message.is_fd:
                    continue
                data = bytes(message.data)
                out.append(Frame(message.arbitration_id, data, message.is_extended_id, now_s))
        except (can.CanError, OSError) as error:
            raise LinkError(f"{self.place}: expected to listen, {_first(error)}") from None
        return out

    def close(self) -> None:
        """Let go of the line."""
        self._bus.shutdown()

    def __enter__(self) -> "CanLine":
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self.close()


def _open(kind: str, channel: str, bit_rate: int, place: str) -> "can.BusABC":
    import can

    given: dict[str, Any] = {} if kind == VIRTUAL else {"bitrate": bit_rate}
    try:
        return can.Bus(interface=kind, channel=channel, **given)
    except Exception as error:  # drivers raise what they like: their own, OSError, ValueError
        raise LinkError(f"{place}: expected a CAN adapter, {_first(error)}") from None


def _first(error: Exception) -> str:
    return " ".join(str(error).split())[:120] or type(error).__name__
