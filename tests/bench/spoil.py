"""Ways a file goes wrong: cut, torn, doubled, mistyped, or made by somebody who means harm."""

import copy
import random
from collections.abc import Callable
from typing import Any

STRANGE = (
    b"", b"nan", b"-inf", b"inf", b"1e308", b"5e-324", b"-1", b"0", b"99999999999", b"1e5",
    b"--", b"\xff\xfe", b"\0", b"\r", b"\t", b"\"", b"'", b",", b";", b"\xc2\xb2", b"\xe2\x88\x92",
    b"9" * 5000, b"[" * 3000, b"{}", b"null", b"true", b"31.02.2026", b"0001-01-01T00:00:00",
    b"9999-12-31T23:59:59", b"1,2,3", b"1.234,5", b"\xf0\x9f\x94\x8b", b"=1+1", b"0x1F", b"3.45",
    b"time", b"cell_1", b"Cell 99999", b"current", b"%", b"V", b"mV", b"\xc2\xb0F", b"a" * 3000,
)  # fmt: skip
VALUES: tuple[object, ...] = (
    None, True, False, 0, -1, 1, 2, 7, 255, 65536, 10**12, 10**400, 0.1, -0.0, 1e-9, 1e308,
    5e-324, float("nan"), float("inf"), -float("inf"), "", "nan", "1", "lfp", "x" * 400, "\0",
    [], [[]], {}, {"x": 1}, [1, 2, 3], "2026-01-01", "../../etc", "°", "9" * 4000,
)  # fmt: skip


def spoil_bytes(chance: random.Random, data: bytes, most: int = 8) -> bytes:
    """A few bytes changed, a piece cut out, doubled or torn off."""
    out = bytearray(data)
    for _ in range(chance.randint(1, most)):
        if not out:
            break
        at = chance.randrange(len(out))
        match chance.randrange(5):
            case 0:
                out[at] = chance.randrange(256)
            case 1:
                del out[at : at + chance.randint(1, 200)]
            case 2:
                out[at:at] = out[at : at + chance.randint(1, 200)]
            case 3:
                del out[at:]
            case _:
                out[at : at + 4] = chance.randbytes(4)
    return bytes(out)


def spoil_text(chance: random.Random, data: bytes) -> bytes:
    """The same for lines and fields: what people, editors and half copies do to a text."""
    steps: tuple[Callable[[random.Random, bytes], bytes], ...] = (
        _field, _field, _field, _field, _lines, _lines, _mark, _ends, _wide, _run, spoil_bytes,
    )  # fmt: skip
    for _ in range(chance.randint(1, 3)):
        data = chance.choice(steps)(chance, data)
    return data


def _field(chance: random.Random, data: bytes) -> bytes:
    """Fields replaced by something strange, in one line or in a whole column."""
    mark = max((b",", b";", b"\t", b" ", b":"), key=data[:2000].count)
    lines = data.split(b"\n")
    column, strange = chance.randrange(12), chance.choice(STRANGE)
    chosen = range(len(lines)) if chance.random() < 0.3 else [chance.randrange(len(lines))]
    for i in chosen:
        fields = lines[i].split(mark)
        fields[column % len(fields)] = strange
        lines[i] = mark.join(fields)
    return b"\n".join(lines)


def _run(chance: random.Random, data: bytes) -> bytes:
    """One sign or two over and over: what takes a pattern the square of its length, or more."""
    signs = bytes(chance.choices(b"- 1a:.,;=_|/\\[({\"'+\t~x0Z%", k=chance.randint(1, 2)))
    at = chance.randrange(len(data) + 1)
    return data[:at] + signs * chance.randint(1000, 15_000) + b"x" + data[at:]


def _lines(chance: random.Random, data: bytes) -> bytes:
    lines = data.split(b"\n")
    at = chance.randrange(len(lines))
    match chance.randrange(5):
        case 0:
            lines[at:at] = [lines[at]] * chance.randint(1, 40)
        case 1:
            del lines[at : at + chance.randint(1, 40)]
        case 2:
            lines.reverse()
        case 3:
            chance.shuffle(lines)
        case _:
            lines.insert(0, lines[at])
    return b"\n".join(lines)


def _mark(chance: random.Random, data: bytes) -> bytes:
    """One sign for another everywhere: separators, decimal marks, quotes."""
    signs = (b",", b";", b"\t", b".", b" ", b"-", b":", b"|", b"0", b"\"")  # fmt: skip
    return data.replace(chance.choice(signs), chance.choice(signs))


def _ends(chance: random.Random, data: bytes) -> bytes:
    ends = (b"\r", b"\r\n", b"\n\n", b" \n", b",\n", b"\n\r", b"\0\n")
    return data.replace(b"\n", chance.choice(ends))


def _wide(chance: random.Random, data: bytes) -> bytes:
    text = data.decode("utf-8", "replace")
    form = chance.choice(("utf-16", "utf-16-le", "utf-16-be", "latin-1", "utf-8-sig", "cp037"))
    return text.encode(form, "replace")[: chance.choice((None, -1, -3))]


def spoil_document(chance: random.Random, document: object) -> object:
    """A JSON document with one to three places changed, taken out, added or nested."""
    out: Any = copy.deepcopy(document)
    for _ in range(chance.randint(1, 3)):
        place = _somewhere(chance, out)
        if place is None:
            return copy.deepcopy(chance.choice(VALUES))
        holder, key = place
        match chance.randrange(6):
            case 0:
                del holder[key]
            case 1 if isinstance(holder, dict):
                name = chance.choice(("x", "", "name ", "packs", "cell_9"))
                holder[name] = copy.deepcopy(holder[key])
            case 2:
                holder[key] = [copy.deepcopy(holder[key])] * chance.choice((1, 2, 40))
            case _:
                holder[key] = copy.deepcopy(chance.choice(VALUES))
    return out


def _somewhere(chance: random.Random, document: Any) -> tuple[Any, Any] | None:
    """A random place within: what holds it, and its key."""
    place = None
    while isinstance(document, dict | list) and document:
        keys = list(document) if isinstance(document, dict) else range(len(document))
        place = (document, chance.choice(keys))
        if chance.random() < 0.35:
            break
        document = document[place[1]]
    return place
