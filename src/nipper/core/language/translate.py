"""From English as the program composes it to another language.

A text is looked up as a whole, then as a message with values in it, each of which is a text again,
then in its parts: lines, sentences, clauses. Of several ways the one is taken that leaves the
fewest words in English; what no message covers is shown as it is.
"""

import re
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache
from html import escape, unescape

PLACEHOLDER = re.compile(r"\{([A-Za-z_]\w*)\}")
WORD = re.compile(r"[^\W\d_]{2,}")
# said alike in every language
UNITS = frozenset(
    re.findall(
        r"\S+",
        "Ah mAh mV kV mA µA kA Wh kWh kW mW mΩ kΩ MΩ mm cm km ms µs min Hz kHz kbit bit kB MB GB "
        "kg Nm AWG CAN BMS CSV JSON DBC PDF pH LFP NMC LTO PV",
    )
)
# by which a text is divided, from the strongest on
NUMBER = r"(?:(?<![\w.,])[−+±~≈<>≤≥÷×]?\s?\d[\d.,:–−/]*\s?[%°]?C?(?![\w]))"
SEAMS = tuple(
    re.compile(seam)
    for seam in (
        r"((?:<[^<>]*>)+)",
        r"(\n+|\t+|;;)",
        r"(^\d+[.)]?\s+(?=[A-Z“])|^[✓✕!→·•]\s*)",
        r"((?<=[.!?…])\s+)",
        r"( {2,}| · | → |; )",
        r"(: | – | — )",
        rf"(\s+{NUMBER}$)",
        r"(, | \(|\(|\)(?:, )?|[“”\"✓✕!→·]\s*)",
        r"( × | \+ | / | ÷ | and | or )",
        rf"((?:^|\s+){NUMBER}(?:\s+|$))",
        r"((?<=\w)/(?=\w))",
    )
)
PARTS = (*SEAMS[3:6], SEAMS[7])
MOST_PIECES = 16  # pieces and seams that may be one message together
MOST_LETTERS = 4000  # of one text that is looked through


@dataclass(frozen=True, slots=True)
class Entry:
    """A message and what it is called: ``said`` has one form for each number of the language."""

    text: str
    said: tuple[str, ...]
    plural: str = ""


@dataclass(frozen=True)
class Template:
    """A message with values, to be found in a text."""

    written: str
    said: tuple[str, ...]
    letters: int
    count: int  # what it speaks of where no value says so

    @cached_property
    def patterns(self) -> tuple[re.Pattern[str], ...]:
        """Compiled when it is first tried, most never are: values as short as they can be, or as
        long.
        """
        ways = (self.written, self.written.replace(".*?", ".*"))
        return tuple(re.compile(way, re.DOTALL) for way in ways)


Way = tuple[str, int]  # a translation, and how many words of it are still English


class Translator:
    """One language. ``form``: which of ``said`` belongs to a number."""

    def __init__(
        self, entries: Iterable[Entry], form: Callable[[int], int] = lambda n: int(n != 1)
    ) -> None:
        self._form = form
        self._whole: dict[str, str] = {}
        templates: list[tuple[Template, set[str]]] = []
        for entry in with_parts(entries):
            for count, text in enumerate(filter(None, (entry.text, entry.plural)), 1):
                if PLACEHOLDER.search(text):
                    templates.append(_template(text, entry.said, count))
                else:
                    self._whole.setdefault(text, entry.said[0])
        self._by_word = _indexed(templates)
        self._way = lru_cache(maxsize=20_000)(self._found)

    def text(self, text: str) -> str:
        """As it is called in this language; of a page with markup, each text in it."""
        if "<" not in text:
            return self._way(text)[0] if len(text) <= MOST_LETTERS else text
        pieces = SEAMS[0].split(text)
        pieces[::2] = (self._escaped(piece) for piece in pieces[::2])
        return "".join(pieces)

    def _escaped(self, text: str) -> str:
        """A text between markup, where ``'`` may be written ``&#x27;``."""
        plain = unescape(text)
        said = self._way(plain)[0] if len(plain) <= MOST_LETTERS else plain
        return escape(said, quote=False) if said != plain else text

    def left(self, text: str) -> int:
        """How many of its words no message covers."""
        return self._way(text)[1]

    def _found(self, text: str) -> Way:
        core = text.strip()
        if not _words(core):
            return text, 0
        before, _, after = text.partition(core)
        said, left = self._whole_or_parts(core)
        return before + said + after, left

    def _whole_or_parts(self, text: str) -> Way:
        best = self._at_once(text)
        for seam in SEAMS if best[1] else ():
            pieces = seam.split(text)
            if len(pieces) > 1 and any(pieces[::2]):
                best = min(best, self._pieced(pieces), key=_left)
                break
        return best

    def _at_once(self, text: str) -> Way:
        """As one message, also with a capital or without, with a point behind or without."""
        best = text, len(_words(text))
        for shape in SHAPES:
            bare = shape.off(text)
            if bare is not None and best[1]:
                said, left = self._message(bare)
                best = min(best, (shape.on(said, text), left), key=_left)
        return best

    def _message(self, text: str) -> Way:
        known = self._whole.get(text)
        best = text, len(_words(text))
        if known is not None:
            return known, 0
        for template in self._candidates(text):
            for pattern in template.patterns if best[1] else ():
                if found := pattern.fullmatch(text):
                    best = min(best, self._filled(template, found), key=_left)
        return best

    def _candidates(self, text: str) -> list[Template]:
        seen = {id(t): t for word in set(_words(text)) for t in self._by_word.get(word, ())}
        return sorted(seen.values(), key=lambda t: -t.letters)

    def _filled(self, template: Template, found: re.Match[str]) -> Way:
        values: dict[str, str] = {}
        left = 0
        for name, value in found.groupdict().items():
            values[name], more = self._way(value) if value else ("", 0)
            left += more
        said = template.said[self._number(template, found)]
        return PLACEHOLDER.sub(lambda at: values.get(at[1], ""), said), left

    def _number(self, template: Template, found: re.Match[str]) -> int:
        """Which form of a plural: after the first value that is a number."""
        if len(template.said) == 1:
            return 0
        numbers = [v for v in found.groupdict().values() if v.isdecimal()]
        return min(
            int(self._form(int(numbers[0]) if numbers else template.count)), len(template.said) - 1
        )

    def _pieced(self, pieces: Sequence[str]) -> Way:
        """Pieces and seams in turn; pieces that are one message together stay together."""
        out, left, i = "", 0, 0
        while i < len(pieces):
            end, (said, more) = self._longest(pieces, i)
            out, left, i = out + said, left + more, end
            if i < len(pieces):
                out, i = out + self._seam(pieces[i]), i + 1
        return out, left

    def _seam(self, seam: str) -> str:
        word = seam.strip()
        return seam.replace(word, self._whole.get(word, word)) if word else seam

    def _longest(self, pieces: Sequence[str], first: int) -> tuple[int, Way]:
        """The most pieces from the first on that are a message, and where they end."""
        for last in range(min(len(pieces) - 1, first + MOST_PIECES), first, -2):
            together = "".join(pieces[first : last + 1])
            if len(_words(together)) > 1 and not (way := self._at_once(together))[1]:
                return last + 1, way
        piece = pieces[first]
        return first + 1, self._way(piece) if piece else ("", 0)


@dataclass(frozen=True, slots=True)
class Shape:
    """How a text may differ from its message: ``off`` gives the message's form, or None where the
    text has no such shape; ``on`` gives a translation the shape of the text.
    """

    off: Callable[[str], str | None]
    on: Callable[[str, str], str]


def _other_case(text: str) -> str | None:
    return text[0].swapcase() + text[1:] if text[1:2].islower() or text[1:2] == " " else None


def _cased_as(said: str, text: str) -> str:
    return (said[:1].upper() if text[0].isupper() else said[:1].lower()) + said[1:]


def _bare(text: str) -> str | None:
    return text[:-1].rstrip() if text[-1] in ".:,;…" and len(text) > 2 else None


def _end(text: str) -> str:
    """The mark at its end, with the blank before it."""
    return text[len(text[:-1].rstrip()) :]


def _other_bare(text: str) -> str | None:
    bare = _bare(text)
    return _other_case(bare) if bare else None


SHAPES = (
    Shape(lambda text: text, lambda said, _: said),
    Shape(_other_case, _cased_as),
    Shape(_bare, lambda said, text: said + _end(text)),
    Shape(_other_bare, lambda said, text: _cased_as(said, text) + _end(text)),
    Shape(lambda text: text + "." if text[-1].isalnum() else None, lambda said, _: said[:-1]),
)


def with_parts(entries: Iterable[Entry]) -> Iterator[Entry]:
    """The messages, then their sentences and clauses where the translation has as many: a title
    is often the first clause of what is said at length.
    """
    kept = list(entries)
    yield from kept
    for entry in kept:
        for seam in PARTS if not entry.plural else ():
            parts, said = seam.split(entry.text)[::2], seam.split(entry.said[0])[::2]
            if len(parts) == len(said) > 1:
                yield from (
                    Entry(part, (its,))
                    for part, its in zip(parts, said, strict=True)
                    if _words(part) and _names(part) == _names(its)
                )


def _names(text: str) -> set[str]:
    return set(PLACEHOLDER.findall(text))


def _left(way: Way) -> int:
    return way[1]


def _words(text: str) -> list[str]:
    """What would have to be translated: no units, no markup."""
    return [w for w in WORD.findall(re.sub(r"<[^<>]*>|&\w+;", " ", text)) if w not in UNITS]


def _template(text: str, said: tuple[str, ...], count: int) -> tuple[Template, set[str]]:
    parts = PLACEHOLDER.split(text)
    fixed, names = parts[::2], parts[1::2]
    pattern = re.escape(fixed[0])
    for name, behind in zip(names, fixed[1:], strict=True):
        pattern += f"(?P<{name}>.*?){re.escape(behind)}"
    words = {w for i, part in enumerate(fixed) for w in _standing(part, i, len(fixed))}
    letters = sum(len(w) for part in fixed for w in WORD.findall(part))
    return Template(pattern, said, letters, count), words


def _standing(part: str, place: int, places: int) -> Iterator[str]:
    """The words of a fixed part that no value can lengthen: those that end where it does may."""
    for found in WORD.finditer(part):
        open_before = found.start() == 0 and place > 0
        open_after = found.end() == len(part) and place < places - 1
        if not (open_before or open_after) and found[0] not in UNITS:
            yield found[0]


def _indexed(templates: list[tuple[Template, set[str]]]) -> dict[str, list[Template]]:
    """Each template under the rarest of its words."""
    counts: Counter[str] = Counter(word for _, words in templates for word in words)
    out: dict[str, list[Template]] = {}
    for template, words in templates:
        if words:
            out.setdefault(min(sorted(words), key=lambda word: counts[word]), []).append(template)
    return out
