"""Pages of the guide, translated block by block: a heading, a paragraph, a point of a list."""

import re
from collections.abc import Callable

# a line goes on with the next unless that one is empty or begins a block
FOLDED = re.compile(r"(?<!\n)\n(?=\S)(?![#>*\-|]|\d+\. |\*\*)")
MARK = re.compile(r"(?:#+|[*\->]|\d+\.)\s+")


def blocks(page: str) -> list[tuple[str, str]]:
    """Mark and text of every block of a page in Markdown; both empty between them."""
    lines = FOLDED.sub(" ", re.sub(r"\n +", " ", page.strip())).splitlines()
    out: list[tuple[str, str]] = []
    for line in lines:
        mark = MARK.match(line)
        at = mark.end() if mark else 0
        out.append((line[:at], line[at:].strip()))
    return out


def in_words(page: str, say: Callable[[str], str]) -> str:
    """A page with each of its texts as ``say`` has it."""
    return "\n".join(mark + (say(text) if text else "") for mark, text in blocks(page))
