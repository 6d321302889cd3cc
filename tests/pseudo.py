"""A language that nobody speaks: every letter marked, every text a third longer.

What is still plain English in it is not translated; what does not fit would not fit in German.
"""

import re
from pathlib import Path

import polib

from nipper.core.language.extract import messages

PLAIN = "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ"
MARKED = "áƀçđéƒǵĥíĵķłɱñóƥɋŕšţúṽŵẋýžÁƁÇĐÉƑǴĤÍĴĶŁṀÑÓƤɊŔŠŢÚṼŴẊÝŽ"
TO_MARKED = str.maketrans(PLAIN, MARKED)
# placeholders, markup, patterns of file names
KEPT = re.compile(r"(\{\w*\}|<[^<>]*>|&\w+;|\(?\*[^)]*\)?)")


def pseudo(text: str) -> str:
    """A text in that language."""
    parts = KEPT.split(text)
    parts[::2] = [re.sub("([aeo])", r"\1\1", p).translate(TO_MARKED) for p in parts[::2]]
    return "".join(parts)


def write_pseudo(path: Path) -> None:
    """Its file, of all messages there are."""
    file = polib.POFile()
    file.metadata = {
        "Content-Type": "text/plain; charset=utf-8",
        "Plural-Forms": "nplurals=2; plural=(n != 1);",
        "X-Language-Name": "Marked",
    }
    for found in messages():
        text, plural = found.message.text, found.message.plural
        both = {0: pseudo(text), 1: pseudo(plural)} if plural else {}
        file.append(
            polib.POEntry(
                msgid=text,
                msgid_plural=plural,
                msgstr="" if plural else pseudo(text),
                msgstr_plural=both,
            )
        )
    path.parent.mkdir(parents=True)
    file.save(str(path))
