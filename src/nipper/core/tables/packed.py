"""The bytes of a file of strangers: unpacked within bounds, and as UTF-8 text."""

import gzip
import io
import re
import struct
import zipfile
import zlib
from collections.abc import Callable, Iterator
from itertools import pairwise
from pathlib import Path
from typing import IO

from nipper.core.errors import InputError

MAX_BYTES = 4_000_000_000  # of text: a stranger's small archive may not fill the memory
MAX_MEMBERS = 400
CHUNK = 16_000_000
DAMAGED = (zlib.error, EOFError, OSError, struct.error)
PAGES = ("cp1252", "cp1250", "latin-1", "mac_roman")
# of writings in which every letter of a word is beyond ASCII
OTHER_PAGES = ["gb18030", "big5", "cp932", "cp949", "cp1251", "koi8_r", "cp1253"]
TOGETHER = 0.35  # of the bytes beyond ASCII follow another: accents stand alone
USUAL_SIGNS = frozenset("°µμΩ±–—")
GZIP, ZIP = b"\x1f\x8b", b"PK\x03\x04"


def read_bytes(path: Path) -> bytes:
    """The file's bytes, unpacked where gzipped.

    Raises
    ------
    InputError
        Unreadable, damaged or too large.
    """
    try:
        if path.exists() and not path.is_file():
            raise InputError(str(path), "the file", "a file, this is something else")
        if path.stat().st_size > MAX_BYTES:
            raise InputError(str(path), "the whole file", f"at most {MAX_BYTES} bytes")
        with path.open("rb") as file:
            packed = file.read(2) == GZIP
        if not packed and path.suffix.lower() != ".gz":
            return path.read_bytes()
        with gzip.open(path) as stream:
            return _bounded(stream, str(path))
    except (gzip.BadGzipFile, EOFError, zlib.error, struct.error) as error:
        raise InputError(str(path), "the whole file", f"a complete gzip file ({error})") from None
    except OSError as error:
        raise InputError(
            str(path), "the file", f"a readable file ({error.strerror or error})"
        ) from None


def _bounded(stream: gzip.GzipFile | IO[bytes], file: str, most: int | None = None) -> bytes:
    most = MAX_BYTES if most is None else most
    chunks: list[bytes] = []
    size = 0
    while chunk := stream.read(CHUNK):
        size += len(chunk)
        if size > most:
            raise InputError(file, "the unpacked file", f"at most {most} bytes")
        chunks.append(chunk)
    return b"".join(chunks)


def members(
    data: bytes,
    file: str,
    wanted: Callable[[str], object] | None = None,
    most: int | None = None,
) -> Iterator[tuple[str, bytes]]:
    """Names and bytes of the files in a zip archive, in order of name: those that are wanted, else
    all but hidden ones.
    """
    chosen = wanted or _is_shown
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            infos = [i for i in archive.infolist() if not i.is_dir()]
            names = sorted(i.filename for i in infos if chosen(i.filename))
            if len(names) > MAX_MEMBERS:
                raise InputError(file, "the archive", f"at most {MAX_MEMBERS} files")
            for name in names:
                with archive.open(name) as stream:
                    inner = _bounded(stream, file, most)
                yield name, _unzipped(inner, file) if inner.startswith(GZIP) else inner
    except (*DAMAGED, zipfile.BadZipFile, NotImplementedError, RuntimeError, ValueError) as error:
        text = str(error) or "damaged"
        raise InputError(file, "the whole file", f"a complete archive ({text})") from None


def _is_shown(name: str) -> bool:
    return not Path(name).name.startswith((".", "__"))


def _unzipped(data: bytes, file: str) -> bytes:
    with gzip.open(io.BytesIO(data)) as stream:
        return _bounded(stream, file)


def as_utf8(data: bytes, file: str) -> bytes:
    """Text bytes in UTF-8; a binary file is refused by the place that shows it."""
    data = data.removeprefix(b"\xef\xbb\xbf")
    wide = _wide_form(data)
    if wide:
        return data.decode(wide, "replace").removeprefix("\ufeff").encode()
    if b"\0" in data[:4096]:
        raise InputError(file, f"byte {data.index(0)}", "text, this is a binary file")
    if data.isascii():
        return data
    try:
        data.decode("utf-8")
    except UnicodeDecodeError:
        return _single_byte(data)
    return data


def _wide_form(data: bytes) -> str | None:
    """UTF-16 by its mark, or by every other byte being zero."""
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        return "utf-16"
    head = data[:2000]
    zeros = head[1::2].count(0), head[0::2].count(0)
    if len(head) >= 40 and max(zeros) > 0.3 * len(head) and min(zeros) < 0.02 * len(head):
        return "utf-16-le" if zeros[0] > zeros[1] else "utf-16-be"
    return None


def _single_byte(data: bytes) -> bytes:
    """Text of an older code page; only headings and words hang on which one.

    A heading or two are too little for a detector of languages: it is asked only between pages
    that make letters of the same bytes.
    """
    from charset_normalizer import from_bytes  # here because few files need it

    head = data[:20_000]
    if _other_writing(head):
        best = from_bytes(head, cp_isolation=OTHER_PAGES).best()
        if best:
            return data.decode(best.encoding, "replace").encode()
    oddness = {page: _oddness(head.decode(page, "replace")) for page in PAGES}
    likely = [page for page in PAGES if oddness[page] == min(oddness.values())]
    best = from_bytes(head, cp_isolation=likely).best() if len(likely) > 1 else None
    return data.decode(best.encoding if best else likely[0], "replace").encode()


def _other_writing(head: bytes) -> bool:
    beyond = [byte > 127 for byte in head]
    pairs = sum(a and b for a, b in pairwise(beyond))
    runs = sum(b and not a for a, b in pairwise([False, *beyond]))
    return pairs > TOGETHER * (pairs + runs)


def _oddness(text: str) -> int:
    """How many signs of a text do not stand in words or units; capitals within a word, too."""
    latin = ((c.isalpha() and c < "ɐ") or c in USUAL_SIGNS for c in text if not c.isascii())
    odd = sum(not usual for usual in latin)
    return odd + len(re.findall(r"[a-zß-ž][À-ÖŠŽĄĆĘŁŃŚŹŻ]", text))
