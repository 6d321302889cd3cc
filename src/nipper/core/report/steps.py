"""A step of a piece of work that has an order."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Step:
    """One step of the work: ``done`` by a tick or by what is known; ``page`` is where it is done,
    None where it is only ticked. A ``caution`` is seen as one.
    """

    id: str
    title: str
    text: str
    done: bool
    ticked: bool
    page: int | None = None

    @property
    def caution(self) -> bool:
        """Whether it is there to keep somebody from harm."""
        return self.id == "safety"
