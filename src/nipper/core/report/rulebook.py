"""The rules as a book, for the help and the docs: each told once, in the words of its own code."""

from collections.abc import Iterator

from nipper.core.rules import ALL_RULES, Rule

HEAD = """# The rules

Made from the code by `make docs`; a test holds it to it. `nipper check` and *What follows* run this
list, in this order. A code never changes. All findings are seen in Protect; the stages named are
the others in which one stands.

| code | what it looks at | stages | source |
|---|---|---|---|
"""


def entries() -> Iterator[tuple[str, str]]:
    """Code and meaning of each rule, in the order of the work."""
    for rule in ALL_RULES:
        yield rule.code, rule.about


def to_markdown() -> str:
    """The whole book as a page of the docs."""
    return HEAD + "".join(_row(rule) for rule in ALL_RULES)


def _row(rule: Rule) -> str:
    stages = ", ".join(stage.capitalize() for stage in rule.stages)
    return f"| `{rule.code}` | {rule.about} | {stages} | {rule.source} |\n"


if __name__ == "__main__":
    print(to_markdown(), end="")
