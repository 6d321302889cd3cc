"""What the bench keeps of a link: what is done, what both displays showed, and the proof that its
loss is noticed. Values with their meaning, no sentence.
"""

from collections.abc import Iterable

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from nipper.core.link.standin import USUAL_TIMEOUT_S, Mode
from nipper.core.setup import Setup

LOSS = "link-loss"  # the kinds of bench events
COMMISSIONED = "commissioned"
LATE_S = 5.0  # beyond the time-out before one calls a reaction late: common practice


class LossProof(BaseModel):
    """The plug was pulled on purpose: seconds to the reaction, what it was, seconds until back."""

    model_config = ConfigDict(frozen=True, extra="ignore")

    reaction_s: float | None = Field(default=None, ge=0, le=86400)
    after: str = Field(default="", max_length=100)
    back_s: float | None = Field(default=None, ge=0, le=86400)
    timeout_s: float | None = None
    on_loss: str = ""
    profile: str = Field(default="", max_length=200)
    stand_in: bool = False  # with the stand-ins, not with the devices themselves

    @property
    def words(self) -> str:
        """In a few words."""
        with_ = " (stand-in)" if self.stand_in else ""
        if self.reaction_s is None:
            return f"link lost on purpose: no reaction{with_}"
        back = "" if self.back_s is None else f", back after {self.back_s:.0f} s"
        return f"link lost on purpose: {self.after} after {self.reaction_s:.0f} s{back}{with_}"

    def is_of(self, setup: Setup) -> bool:
        """Whether these settings are the ones it was made with: changed ones want it again."""
        link = setup.link
        if link is None:
            return False
        same = (link.loss_timeout_s, link.on_loss or "", link.profile or "")
        return same == (self.timeout_s, self.on_loss, self.profile)

    def proves(self, setup: Setup) -> bool:
        """Whether one's own devices did what is set, under the settings of now."""
        return not self.stand_in and self.is_of(setup) and self.as_set(setup)

    def as_set(self, setup: Setup) -> bool:
        """Whether the inverter did what the settings say, and in time."""
        link = setup.link
        if self.reaction_s is None or link is None:
            return False
        timeout_s = link.loss_timeout_s or USUAL_TIMEOUT_S
        wanted = Mode.STOPPED if link.on_loss == "stop" else Mode.FALLBACK
        return self.reaction_s <= timeout_s + LATE_S and self.after == wanted


def loss_proof(setup: Setup, reaction_s: float | None, after: str, back_s: float | None,
               stand_in: bool) -> LossProof:  # fmt: skip
    """A proof made under these settings."""
    link = setup.link
    return LossProof(
        reaction_s=reaction_s,
        after=after,
        back_s=back_s,
        timeout_s=link.loss_timeout_s if link else None,
        on_loss=(link.on_loss or "") if link else "",
        profile=(link.profile or "") if link else "",
        stand_in=stand_in,
    )


def parse(note: str) -> LossProof | None:
    """The proof in an event's note; None where there is none to be read."""
    try:
        return LossProof.model_validate_json(note)
    except ValidationError:
        return None


def last_loss(events: Iterable[tuple[float, str, str]]) -> tuple[float, LossProof] | None:
    """The newest proof and when it was made; one's own devices before any rehearsal with the
    stand-ins. Events as (time_s, kind, note).
    """
    found = [(at, p) for at, kind, note in events if kind == LOSS and (p := parse(note))]
    return max(found, key=lambda pair: (not pair[1].stand_in, pair[0]), default=None)


class LinkNotes(BaseModel):
    """What is done of the steps, and what both displays showed last."""

    model_config = ConfigDict(extra="ignore")

    ticks: dict[str, float] = Field(default_factory=dict, max_length=1000)  # step: Unix seconds
    names: dict[str, str] = Field(default_factory=dict, max_length=200)  # of lines, in their menus
    battery: dict[str, float] = Field(default_factory=dict, max_length=100)
    inverter: dict[str, float] = Field(default_factory=dict, max_length=100)
    stand_in: bool = False  # the readings are of the stand-ins, not of the devices themselves

    def tick(self, key: str, done: bool, now_s: float) -> None:
        """Tick a step or a line of a menu, or take its tick back. A line has one tick: that of the
        value it had before goes.
        """
        line = key.rpartition(":")[0]
        before = [k for k in self.ticks if line.count(":") > 1 and k.rpartition(":")[0] == line]
        for old in (*before, key):
            self.ticks.pop(old, None)
        if done:
            self.ticks[key] = now_s


def parse_notes(text: str | None) -> LinkNotes:
    """The kept notes; empty ones where there are none to be read."""
    try:
        return LinkNotes.model_validate_json(text or "{}")
    except ValidationError:
        return LinkNotes()
