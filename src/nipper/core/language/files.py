"""Languages as gettext files, read with polib."""

import re
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from typing import TYPE_CHECKING, Any

from platformdirs import user_data_path

if TYPE_CHECKING:  # imported when a language is spoken: English waits for none of it
    from nipper.core.language.translate import Entry, Translator

SHIPPED = Path(__file__).parent / "data"
CODE = re.compile(r"[a-z]{2,3}(?:_[A-Z]{2})?")
MOST_BYTES = 8_000_000  # of a file: ours has a tenth
NAME = "X-Language-Name"  # in the file's head: what the language calls itself


def folders() -> tuple[Path, ...]:
    """Where languages are looked for; the first that has one is taken."""
    return user_data_path("nipper") / "languages", SHIPPED


def languages() -> dict[str, str]:
    """The languages there are besides English, by code, and what each calls itself."""
    out: dict[str, str] = {}
    for folder in reversed(folders()):
        for path in sorted(folder.glob("*.po")):
            if CODE.fullmatch(path.stem) and path.stat().st_size <= MOST_BYTES:
                out[path.stem] = _own_name(path)
    return out


def _own_name(path: Path) -> str:
    with path.open(encoding="utf-8", errors="replace") as file:
        head = file.read(4000)
    found = re.search(rf'"{NAME}: ([^"\\]{{1,40}})', head)
    return found[1] if found else path.stem


@lru_cache(maxsize=2)
def translator(code: str) -> "Translator | None":
    """The translator to a language; None for English, and for one that is not there or no file
    of gettext.
    """
    if not CODE.fullmatch(code):
        return None
    paths = [p for folder in folders() if (p := folder / f"{code}.po").is_file()]
    if not paths or paths[0].stat().st_size > MOST_BYTES:
        return None
    import polib

    from nipper.core.language.translate import Translator

    try:
        read: Any = polib.pofile(str(paths[0]), encoding="utf-8")
    except (OSError, ValueError):
        return None
    return Translator(filter(None, map(_entry, read)), _form(read.metadata))


def _entry(read: Any) -> "Entry | None":
    """A message of the file; None while it is not translated, marked as doubtful, or does not
    name the same values and numbers.
    """
    from nipper.core.language.translate import PLACEHOLDER, Entry, figures

    plural: dict[int, str] = read.msgstr_plural
    said = tuple(plural[n] for n in sorted(plural)) if plural else (read.msgstr,)
    names = set(PLACEHOLDER.findall(read.msgid))
    if not all(said) or read.fuzzy or any(set(PLACEHOLDER.findall(s)) != names for s in said):
        return None
    if any(figures(form) != figures(read.msgid) for form in said):
        return None
    return Entry(read.msgid, said, read.msgid_plural)


def _form(metadata: dict[str, str]) -> Callable[[int], int]:
    """Which form of a plural belongs to a number, as the head of the file says."""
    from gettext import c2py

    found = re.search(r"plural\s*=\s*([^;]+)", metadata.get("Plural-Forms", ""))
    try:
        return c2py(found[1]) if found else (lambda n: int(n != 1))
    except ValueError:
        return lambda n: int(n != 1)
