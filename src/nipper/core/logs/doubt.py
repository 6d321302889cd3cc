"""What a table could not settle by itself: said in words, with the option that settles it."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Doubt:
    """One doubt; ``option`` is the headless command's, empty where none helps."""

    text: str
    option: str = ""

    def __str__(self) -> str:
        return f"{self.text} ({self.option} settles it)" if self.option else self.text
