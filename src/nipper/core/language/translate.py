"""From English as the program composes it to another language.

A text is looked up as a whole, then as a message with values in it, each of which is a text again,
then in its parts: lines, sentences, clauses. Of several ways the one is taken that leaves the
fewest words in English; what no message covers is shown as it is.
"""

import re
from collections import Counter
from collections.abc import Callable, Collection, Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache
from html import escape, unescape
from typing import NamedTuple

PLACEHOLDER = re.compile(r"\{([A-Za-z_]\w*)\}")
PLACEHOLDERS = re.compile(r"(\{[A-Za-z_]\w*\})")
OWN = "_own"  # begins the names of a message's own numbers
WORD = re.compile(r"[^\W\d_]{2,}")
# said alike in every language
UNITS = frozenset(
    re.findall(
        r"\S+",
        "Ah mAh mV kV mA µA kA Wh kWh kW mW mΩ kΩ MΩ mm cm km ms µs min Hz kHz kbit bit kB MB GB "
        "kg Nm AWG CAN BMS CSV JSON DBC PDF pH LFP NMC LTO PV",
    )
)
# numbers are put aside while a text is looked up, each as one character: the same sentence with
# other numbers is known at once
FIGURES = re.compile(r"\d+(?:[.,:]\d+)*")
ASIDE, MOST_FIGURES = 0xE000, 0x100  # for each form of a plural as many
ANY = "[\ue000-\uefff]"
WITHIN = re.compile(r"(?<=[a-zß-ÿ,;] )[A-ZÀ-Þ]\w+")  # a word with a capital within a sentence
NUMBER = rf"(?:(?<![\w{ANY[1:-1]}])[−+±~≈<>≤≥÷×]?\s?{ANY}[{ANY[1:-1]}–−/]*\s?[%°]?C?(?!\w))"
TAG = r"</?[a-z][a-z0-9]*(?:\s[^<>]*)?/?>"  # of a page for print; a link of the guide is none
# by which a text is divided, from the strongest on
SEAMS = tuple(
    re.compile(seam)
    for seam in (
        rf"((?:{TAG})+)",
        r"(\n+|\t+|;;)",
        rf"(^{ANY}(?:[.)]\s+|\s{{2,}})|^[✓✕!→·•]\s*)",
        r"((?<=[.!?…])\s+)",
        r"( {2,}| · | → |; )",
        r"(: | – | — )",
        rf"(\s{{1,9}}{NUMBER}$)",
        r"(, | \(|\(|\)(?:, )?|[“”\"✓✕!→·\[\]]\s*)",
        r"( × | \+ | / | ÷ | and | or )",
        rf"((?:^|\s{{1,9}}){NUMBER}(?:\s+|$))",
        r"((?<=\w)/(?=\w))",
    )
)
SENTENCES, PARAGRAPHS = SEAMS[3], re.compile(r"(\n\n+)")
VALUE = r"(?:(?! · |\n).)"  # what stands on both sides of these is no one value
LOOSE = re.compile(r"^[:.)]|^[^;,].*[;:(]$", re.DOTALL)  # no value begins or ends so
PARTS = (*SEAMS[3:6], SEAMS[7])
MOST_PIECES = 16  # pieces and seams that may be one message together
MOST_LETTERS = 4000  # of one text that is looked through
FEW_LETTERS, LONG = 12, 80  # of a message, of a value
MOST_KEPT = 20_000  # texts that are remembered
MOST_LOOKED_AT = 2500  # windows of one text; what the program says takes 1,100 at most


class TooLongError(Exception):
    """A text that would take longer to look through than a reader waits."""


@dataclass(frozen=True, slots=True)
class Entry:
    """A message and what it is called: ``said`` has one form for each number of the language."""

    text: str
    said: tuple[str, ...]
    plural: str = ""


@dataclass(frozen=True)
class Template:
    """A message with values, to be found in a text."""

    fixed: tuple[str, ...]  # what stands before, between and behind the values
    words: frozenset[str]  # of these, those that no value beside them can lengthen
    written: str
    said: tuple[str, ...]
    letters: int
    count: int  # what it speaks of where no value says so

    def found_in(self, text: str) -> Iterator[re.Match[str]]:
        """The ways in which it is this text; none is the usual, and is told at once."""
        first, *between, last = self.fixed
        if text.startswith(first) and text.endswith(last) and all(p in text for p in between):
            yield from filter(None, (p.fullmatch(text) for p in self._patterns))

    @cached_property
    def _patterns(self) -> tuple[re.Pattern[str], ...]:
        """Compiled when it is first tried, most never are: values as short as they can be, or as
        long.
        """
        ways = (self.written, self.written.replace(f"{VALUE}*?", f"{VALUE}*"))
        return tuple(re.compile(way, re.DOTALL) for way in ways)


class Way(NamedTuple):
    """A translation, how many words of it are still English, and how much of it are messages
    rather than their values: the sum of the squares of their letters, so that one long message
    says more than many short ones.
    """

    said: str
    left: int
    fixed: int = 0


def _worth(way: Way) -> tuple[int, int]:
    return way.left, -way.fixed


class Translator:
    """One language. ``form``: which of ``said`` belongs to a number."""

    def __init__(
        self, entries: Iterable[Entry], form: Callable[[int], int] = lambda n: int(n != 1)
    ) -> None:
        self._form = form
        self._own: frozenset[str] = frozenset()
        self._whole: dict[str, str] = {}
        templates: dict[tuple[str, tuple[str, ...]], Template] = {}
        for entry in with_parts(entries):
            for count, plain in enumerate(filter(None, (entry.text, entry.plural)), 1):
                text, said = _alike(*_named(plain, entry.said))
                if PLACEHOLDER.search(text):
                    templates.setdefault((text, said), _template(text, said, count))
                else:
                    self._whole.setdefault(text, said[0])
        self._by_word = _indexed(templates.values())
        self._looked_at = 0
        self._bounded = lru_cache(MOST_KEPT)(self._within_reason)
        # windows of a text and what stands between the words of messages come again and again
        self._way = lru_cache(MOST_KEPT)(self._found)
        self._at_once = lru_cache(MOST_KEPT)(self._shaped)
        self._message = lru_cache(MOST_KEPT)(self._standing)

    def keep(self, names: Iterable[str]) -> bool:
        """Names that are the builder's own: a pack called North is no Nord. Whether they are others
        than before.
        """
        own = frozenset(FIGURES.sub(chr(ASIDE), name) for name in names)
        changed, self._own = own != self._own, own
        if changed:
            for kept in (self._bounded, self._way, self._at_once, self._message):
                kept.cache_clear()
        return changed

    def _noun(self, said: str, shaped: str) -> str:
        """What was put in lower case with the capital that its first word has everywhere."""
        lowered = said[:1] != shaped[:1] and said[:1].isupper()
        return said[:1] + shaped[1:] if lowered and _first_word(said) in self._nouns else shaped

    @cached_property
    def _nouns(self) -> frozenset[str]:
        """Words that are written with a capital within sentences, in German all nouns."""
        templates = {t for some in self._by_word.values() for t in some}
        texts = [*self._whole.values(), *(said for t in templates for said in t.said)]
        return frozenset(word for text in texts for word in WITHIN.findall(text))

    def _is_own(self, text: str) -> bool:
        return bool(self._own) and re.sub(ANY, chr(ASIDE), text) in self._own

    def text(self, text: str) -> str:
        """As it is called in this language; of a page with markup, each text in it."""
        pieces = SEAMS[0].split(text)
        if len(pieces) == 1:
            return self._said(text).said
        pieces[::2] = (self._escaped(piece) for piece in pieces[::2])
        return "".join(pieces)

    def _escaped(self, text: str) -> str:
        """A text between markup, where ``'`` may be written ``&#x27;``."""
        plain = unescape(text)
        said = self._said(plain).said
        return escape(said, quote=False) if said != plain else text

    def left(self, text: str) -> int:
        """How many of its words no message covers."""
        return self._said(text).left

    def _said(self, text: str) -> Way:
        aside = list(dict.fromkeys(FIGURES.findall(text)))  # equal numbers are one
        if len(text) > MOST_LETTERS or len(aside) > MOST_FIGURES or re.search(ANY, text):
            return Way(text, len(_words(text)))
        places = {figure: place for place, figure in enumerate(aside)}
        way = self._bounded(FIGURES.sub(lambda at: self._aside(at[0], places[at[0]]), text))
        return way._replace(said=re.sub(ANY, lambda at: aside[_place(at[0])], way.said))

    def _aside(self, figure: str, place: int) -> str:
        """What stands for a number: its place, and the form of a plural that belongs to it."""
        form = min(self._form(int(figure)), 9) if figure.isdecimal() and len(figure) < 10 else 9
        return chr(ASIDE + form * MOST_FIGURES + place)

    def _within_reason(self, text: str) -> Way:
        """By its paragraphs, which no message is longer than. Somebody's own words can be of any
        form: what is without end as a whole is looked up by its sentences, and stays as it is where
        one of them is.
        """
        pieces = PARAGRAPHS.split(text)
        if len(pieces) == 1:
            self._looked_at = 0
            try:
                return self._way(text)
            except (TooLongError, RecursionError):
                pieces = SENTENCES.split(text)
        if len(pieces) == 1:
            return Way(text, len(_words(text)))
        ways = [self._bounded(piece) for piece in pieces[::2]]
        pieces[::2] = (way.said for way in ways)
        return Way("".join(pieces), sum(way.left for way in ways))

    def _found(self, text: str) -> Way:
        core = text.strip()
        if not _words(core):
            return Way(text, 0)
        before, _, after = text.partition(core)
        way = self._whole_or_parts(core)
        if way.left > 2 and 2 * way.left >= len(_words(core)):
            return Way(text, len(_words(core)))  # English is read better than every second word
        return way._replace(said=before + way.said + after)

    def _whole_or_parts(self, text: str) -> Way:
        best = self._at_once(text)
        if not best.left and best.fixed >= _letters(text) ** 2:
            return best
        for seam in SEAMS:
            pieces = seam.split(text)
            if len(pieces) > 1 and any(pieces[::2]):
                return min(best, self._pieced(pieces), key=_worth)
        return best

    def _shaped(self, text: str) -> Way:
        """As one message, also with a capital or without, with a point behind or without."""
        if text in self._whole or self._is_own(text):
            return self._message(text)
        bare = ((shape, shape.off(text)) for shape in SHAPES)
        ways = ((shape, self._message(b)) for shape, b in bare if b is not None)
        shaped = (w._replace(said=self._noun(w.said, shape.on(w.said, text))) for shape, w in ways)
        return min(shaped, key=_worth)

    def _standing(self, text: str) -> Way:
        """As it stands: a name, a message of fixed words, or one with values."""
        if self._is_own(text):
            return Way(text, 0, _letters(text) ** 2)
        if text in self._whole:
            return Way(self._whole[text], 0, _letters(text) ** 2)
        self._looked_at += 1
        if self._looked_at > MOST_LOOKED_AT:
            raise TooLongError
        best, letters = Way(text, len(_words(text))), _letters(text)
        for template in self._candidates(text):
            most = template.letters**2 + 1 + (letters - template.letters) ** 2
            if not best.left and most <= best.fixed:
                break  # those that follow say less
            for found in template.found_in(text):
                best = min(best, self._filled(template, found, best), key=_worth)
        return best

    def _candidates(self, text: str) -> list[Template]:
        words = set(WORD.findall(text))
        known = (t for word in words for t in self._by_word.get(word, ()) if t.words <= words)
        return sorted(known, key=lambda t: -t.letters)

    def _filled(self, template: Template, found: re.Match[str], best: Way) -> Way:
        """As this message with what its values are called; ``best`` where that cannot be better."""
        values = found.groupdict()
        if any(LOOSE.search(value) for value in values.values()):
            return best
        if template.letters < FEW_LETTERS and any(_is_long(v) for v in values.values()):
            return best  # a few words hold neither sentences together nor long clauses
        ways: dict[str, Way] = {}
        for name, value in values.items():
            ways[name] = self._way(value)
            if sum(way.left for way in ways.values()) > best.left:
                return best
        text = template.said[self._number(template, found)]
        said = PLACEHOLDER.sub(lambda at: ways[at[1]].said if at[1] in ways else "", text)
        fixed = template.letters**2 + sum(w.fixed for w in ways.values())
        if len(template.said) > 1 and any(re.fullmatch(ANY, v) for v in values.values()):
            fixed += 1  # of two that fit, the one that counts is meant
        return Way(said, sum(w.left for w in ways.values()), fixed)

    def _number(self, template: Template, found: re.Match[str]) -> int:
        """Which form of a plural: one where English has one, else after the first number."""
        last = len(template.said) - 1
        if not last or template.count == 1:
            return min(self._form(1), last)
        forms = [_form_of(v) for v in found.groupdict().values() if re.fullmatch(ANY, v)]
        return min(forms[0] if forms else self._form(2), last)

    def _pieced(self, pieces: Sequence[str]) -> Way:
        """Pieces and seams in turn; pieces that are one message together stay together."""
        out, i = Way("", 0), 0
        while i < len(pieces):
            i, way = self._longest(pieces, i)
            seam = self._seam(pieces[i]) if i < len(pieces) else ""
            out = Way(out.said + way.said + seam, out.left + way.left, out.fixed + way.fixed)
            i += 1
        return out

    def _seam(self, seam: str) -> str:
        word = seam.strip()
        return seam.replace(word, self._whole.get(word, word)) if word else seam

    def _longest(self, pieces: Sequence[str], first: int) -> tuple[int, Way]:
        """The most pieces from the first on that say more together than apart, and where they
        end.
        """
        for last in range(min(len(pieces) - 1, first + MOST_PIECES), first, -2):
            together = "".join(pieces[first : last + 1])
            if len(_words(together)) > 1 and not (way := self._at_once(together)).left:
                apart = [self._way(piece) for piece in pieces[first : last + 1 : 2]]
                if any(w.left for w in apart) or way.fixed >= sum(w.fixed for w in apart):
                    return last + 1, way
        return first + 1, self._way(pieces[first])


@dataclass(frozen=True, slots=True)
class Shape:
    """How a text may differ from its message: ``off`` gives the message's form, or None where the
    text has no such shape; ``on`` gives a translation the shape of the text.
    """

    off: Callable[[str], str | None]
    on: Callable[[str, str], str]


def _first_word(text: str) -> str:
    return re.split(r"\W", text, maxsplit=1)[0]


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
    Shape(_bare, lambda said, text: said + _end(text)),
    Shape(lambda text: text, lambda said, _: said),
    Shape(_other_case, _cased_as),
    Shape(_other_bare, lambda said, text: _cased_as(said, text) + _end(text)),
    Shape(
        lambda text: text + "." if text[-1].isalnum() else None,
        lambda said, _: said.removesuffix("."),
    ),
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


def _is_long(value: str) -> bool:
    return len(value) > LONG or bool(SENTENCES.search(value))


def _names(text: str) -> set[str]:
    return set(PLACEHOLDER.findall(text))


def _place(aside: str) -> int:
    return (ord(aside) - ASIDE) % MOST_FIGURES


def _form_of(aside: str) -> int:
    return (ord(aside) - ASIDE) // MOST_FIGURES


def _named(text: str, said: tuple[str, ...]) -> tuple[str, tuple[str, ...]]:
    """A message whose own numbers are placeholders as well: equal ones have one name, here and in
    all forms of its translation.
    """
    names: dict[str, str] = {}

    def name(found: re.Match[str]) -> str:
        return names.setdefault(found[0], f"{{{OWN}{len(names)}}}")

    named = _figures(text, name)
    return named, tuple(_figures(form, lambda f: names.get(f[0], f[0])) for form in said)


def _alike(text: str, said: tuple[str, ...]) -> tuple[str, tuple[str, ...]]:
    """A message with its values named by their places: such as differ in names alone are one."""
    names = (name for name in PLACEHOLDER.findall(text) if not name.startswith(OWN))
    places = {name: f"v{i}" for i, name in enumerate(dict.fromkeys(names))}

    def placed(found: re.Match[str]) -> str:
        return f"{{{places.get(found[1], found[1])}}}"

    return PLACEHOLDER.sub(placed, text), tuple(PLACEHOLDER.sub(placed, form) for form in said)


def _figures(text: str, change: Callable[[re.Match[str]], str]) -> str:
    """A message with its own numbers changed, those in the names of its values left alone."""
    parts = PLACEHOLDERS.split(text)
    parts[::2] = [FIGURES.sub(change, part) for part in parts[::2]]
    return "".join(parts)


def figures(text: str) -> list[str]:
    """A message's own numbers, sorted."""
    return sorted(f for part in PLACEHOLDERS.split(text)[::2] for f in FIGURES.findall(part))


def _words(text: str) -> list[str]:
    """What would have to be translated: no units, no markup, no paths of settings."""
    bare = re.sub(r"<[^<>]*>|&\w+;|\b\w+(?:[._]\w+)+\b", " ", text)
    return [w for w in WORD.findall(bare) if w not in UNITS]


def _letters(text: str) -> int:
    return sum(map(len, WORD.findall(text)))


def _template(text: str, said: tuple[str, ...], count: int) -> Template:
    parts = PLACEHOLDER.split(text)
    fixed, names = parts[::2], parts[1::2]
    pattern = re.escape(fixed[0])
    for i, (name, behind) in enumerate(zip(names, fixed[1:], strict=True)):
        value = ANY if name.startswith(OWN) else f"{VALUE}*?"
        pattern += f"(?P={name})" if name in names[:i] else f"(?P<{name}>{value})"
        pattern += re.escape(behind)
    ends = ("", *names, "")
    words = {w for i, part in enumerate(fixed) for w in _standing(part, ends[i], ends[i + 1])}
    letters = sum(_letters(part) for part in fixed)
    return Template(tuple(fixed), frozenset(words), pattern, said, letters, count)


def _standing(part: str, before: str, after: str) -> Iterator[str]:
    """The words of a fixed part that no value beside it can lengthen; a number does not."""
    for found in WORD.finditer(part):
        open_before = found.start() == 0 and before and not before.startswith(OWN)
        open_after = found.end() == len(part) and after and not after.startswith(OWN)
        if not (open_before or open_after) and found[0] not in UNITS:
            yield found[0]


def _indexed(templates: Collection[Template]) -> dict[str, list[Template]]:
    """Each template under the rarest of its words."""
    counts: Counter[str] = Counter(word for template in templates for word in template.words)
    out: dict[str, list[Template]] = {}
    for template in templates:
        if template.words:
            rarest = min(sorted(template.words), key=lambda word: counts[word])
            out.setdefault(rarest, []).append(template)
    return out
