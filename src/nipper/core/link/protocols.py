"""The protocols that stand in both menus, by the words of the menus."""

from dataclasses import dataclass

from nipper.core.setup import Setup


@dataclass(frozen=True, slots=True)
class Offer:
    """What both ends offer, and what only one does."""

    both: tuple[str, ...]
    battery_only: tuple[str, ...]
    inverter_only: tuple[str, ...]

    @property
    def known(self) -> bool:
        """Whether both menus were typed in."""
        return bool(self.both) or bool(self.battery_only and self.inverter_only)


def offers(setup: Setup) -> Offer:
    """The two menus side by side; case and space do not matter."""
    link = setup.link
    ours = _words(link.battery_protocols if link else None)
    theirs = _words(link.inverter_protocols if link else None)
    return Offer(
        tuple(word for key, word in ours.items() if key in theirs),
        tuple(word for key, word in ours.items() if key not in theirs),
        tuple(word for key, word in theirs.items() if key not in ours),
    )


def _words(text: str | None) -> dict[str, str]:
    words = (" ".join(word.split()) for word in (text or "").split(","))
    return {word.lower(): word for word in words if word}
