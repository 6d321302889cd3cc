"""What can go wrong through a file, a device or a user.

NipperError
├── InputError   a file or a setup cannot be used: names the file, the place in it and what was
│                expected
│   └── ChoiceError  several packs or tables could be meant
├── RangeError   a number lies outside what can be meant
└── Cancelled    the user stopped a long piece of work
"""

from collections.abc import Sequence

LONGEST_LINE = 290  # characters that are still read; what a stranger wrote may be longer


class NipperError(Exception):
    """What a file, a device or a user can cause.

    Shown as one line; anything else is a bug and keeps its traceback.
    """

    def __init__(self, text: str = "") -> None:
        super().__init__(one_line(text))

    def __reduce__(self) -> tuple[object, ...]:
        """From another process whole, whatever it was made of."""
        return _made_again, (type(self), self.args), self.__dict__


def _made_again(kind: type[NipperError], told: tuple[object, ...]) -> NipperError:
    return kind.__new__(kind, *told)


def one_line(text: str) -> str:
    """A text on one line, its middle left out where it is too long to be read."""
    line = " ".join(text.replace("\0", " ").split())
    if len(line) <= LONGEST_LINE:
        return line
    half = LONGEST_LINE // 2 - 2
    return f"{line[:half]} … {line[-half:]}"


class InputError(NipperError):
    """Unusable input: one line that names the file, the place in it and what was expected."""

    def __init__(self, file: str, place: str, expected: str, option: str = "") -> None:
        settles = f" ({option} settles it)" if option else ""
        super().__init__(f"{file}: {place}: expected {expected}{settles}")
        self.file, self.place, self.expected = file, place, expected


class ChoiceError(InputError):
    """Several things could be meant, and only the user knows which."""

    def __init__(
        self, file: str, place: str, expected: str, option: str, choices: Sequence[str]
    ) -> None:
        super().__init__(file, place, expected, option)
        self.choices = tuple(choices)


class RangeError(NipperError):
    """A value outside the range that can be meant."""


class Cancelled(NipperError):  # noqa: N818 - not an error: what the user asked for
    """Long work was stopped by the user; nothing of it was kept."""
