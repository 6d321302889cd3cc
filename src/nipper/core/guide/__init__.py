"""The guide that ships with Nipper: a page a stage, the trade's words, every setting.

Pages are Markdown under ``pages``; words stand in ``words.py``; what is said of settings comes from
the setup's own models, so that a field is explained in one place only. A link is ``page:protect``,
``word:tail current`` or ``setting:charging.tail_a``.
"""

import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import cache
from importlib import resources

from nipper.core.guide.words import WORDS, words_in
from nipper.core.quantities import unit_of
from nipper.core.setup import Described, described

STAGES = (
    "build", "protect", "level", "charge", "cold", "link", "rehearse", "record", "diagnose", "keep",
)  # fmt: skip
PAGES = ("start", *STAGES)
LEAST_LETTERS = 2


@dataclass(frozen=True, slots=True)
class Topic:
    """A page of the guide, or an entry in one: its link, title, page and Markdown."""

    link: str
    title: str
    text: str


@cache
def page(name: str) -> Topic:
    """A page by its name; KeyError where there is none."""
    if name not in PAGES:
        raise KeyError(f"no page {name!r}; there are {', '.join(PAGES)}")
    text = (resources.files("nipper.core.guide") / "pages" / f"{name}.md").read_text("utf-8")
    title, _, body = text.partition("\n")
    return Topic(f"page:{name}", title.removeprefix("# ").strip(), body.strip())


@cache
def words() -> tuple[Topic, ...]:
    """The trade's words, by the alphabet."""
    names = sorted(WORDS, key=str.lower)
    return tuple(Topic(f"word:{n}", n, f"{WORDS[n][:1].upper()}{WORDS[n][1:]}.") for n in names)


@cache
def settings() -> tuple[Topic, ...]:
    """Every setting: what it is, its unit, where it stands in a setup file."""
    return tuple(_setting(one) for one in described())


def _setting(one: Described) -> Topic:
    alone = not one.part or one.part.lower() in one.title.lower()
    name = one.title if alone else f"{one.part}: {one.title}"
    said = [f"{one.about[:1].upper()}{one.about[1:].rstrip('.')}."] if one.about else []
    unit = unit_of(one.path.rpartition(".")[2])
    said.append(f"In a setup file: `{one.path}`{f', {unit}' if unit else ''}.")
    meant = [w for w in words_in(f"{name} {one.about}") if len(w) > 1]
    if meant:
        said.append("See " + ", ".join(f"[{w}](<word:{w}>)" for w in meant) + ".")
    return Topic(f"setting:{one.path}", f"{name[:1].upper()}{name[1:]}", " ".join(said))


@cache
def rules() -> tuple[Topic, ...]:
    """What the rules look at."""
    from nipper.core.report.rulebook import entries  # brings all rules with it

    return tuple(Topic(f"rule:{code}", code, about) for code, about in entries())


def topics() -> Iterator[Topic]:
    """All of the guide."""
    yield from (page(name) for name in PAGES)
    yield from words()
    yield from settings()
    yield from rules()


@cache
def _searched() -> tuple[tuple[Topic, str], ...]:
    return tuple((t, f"{t.title} {t.text}".lower()) for t in topics())


def find(text: str, say: Callable[[str], str] = str) -> list[Topic]:
    """Topics in which every word typed stands; titles that begin with the text come first. ``say``:
    a title as it is shown, which is looked through as well.
    """
    whole = text.strip().lower()
    if len(whole) < LEAST_LETTERS:
        return []
    typed = whole.split()
    shown = {topic.link: say(topic.title).lower() for topic, _ in _searched()}
    found = [t for t, told in _searched() if all(w in told or w in shown[t.link] for w in typed)]
    return sorted(found, key=lambda t: _far(shown[t.link], whole))


def _far(title: str, whole: str) -> int:
    if title.startswith(whole):
        return 0
    return 1 if whole in title else 2


def explained(link: str) -> Topic | None:
    """The topic of a link; None where it leads nowhere."""
    kind, _, name = link.partition(":")
    if kind == "page":
        return page(name) if name in PAGES else None
    known = {"word": words, "setting": settings, "rule": rules}.get(kind)
    first = re.sub(r"\.\d+\.", ".0.", link)  # any of a list is explained by its first
    return next((t for t in known() if t.link == first), None) if known else None
