"""What people read, taken from the source: the list that a translator works from.

The program composes English; nothing in it is marked for translation. A text of fixed words is a
message, a text with values in it is one whose placeholders are named after what stands there, and
one that ends in an ``s`` for more than one is a message with a plural.
"""

import ast
import csv
import json
import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from itertools import islice, product
from pathlib import Path

from nipper.core.language.pages import blocks
from nipper.core.language.translate import UNITS

SOURCE = Path(__file__).parents[2]

# folders and files whose texts nobody reads in the window: words of other people's tables, what is
# written for machines, the command line (its words are fixed: scripts read them)
UNREAD = (
    "cli.py", "__main__.py", "core/simulate", "core/language", "core/logs/words.py",
    "core/logs/languages.py",
    "core/quiet.py", "app/start.py", "app/shell/walk.py",
    "app/theme/icons", "store/schema.py",
)  # fmt: skip
# their arguments are names, patterns and keys
MACHINES = frozenset(
    re.findall(
        r"\S+",
        "compile execute executemany executescript setObjectName setProperty property dress "
        "getattr hasattr setattr find findChild findChildren partition rpartition split rsplit "
        "removesuffix removeprefix startswith endswith strip lstrip rstrip replace sub match "
        "fullmatch search fromisoformat strftime strptime encode decode NewType TypeVar "
        "pragma open connect joinpath with_suffix read_text glob rglob dtype zeros empty full "
        "astype asarray array fromkeys QSettings value setValue beginGroup import_module "
        "invokeMethod field_of get_logger isin where select with_columns col alias cast get "
        "pop setdefault count index QKeySequence font_family addApplicationFont load "
        "QByteArray setFamily styleHint",
    )
)
OURS_ALONE = ("KeyError", "TypeError", "IndexError", "RuntimeError")
MARKUP = re.compile(r"<[^<>]*>|\n\n")
# queries, styles of Qt, patterns
UNSAID = re.compile(
    r"(SELECT|INSERT|CREATE|PRAGMA|UPDATE|DELETE|ALTER|BEGIN|DROP)\b|Q\w+[ {]|\(?\?|[\\^]|.*\(\?:|"
    r"(color|background): |\*\.|--?[a-z]|#\w+[/!]"
)
COLOURS = re.compile(r"white/[a-z]+")  # of wires
MOST_FORMS = 8  # of one text, by the words that are chosen in it
WORD = re.compile(r"[^\W\d_]{2,}")
# a key, a path, a name of a column, a suffix, a format: no words
NAME = re.compile(
    r"[\w.\[\]{}/\\*:#?=&%<>+-]*[_/\\.\[\]{}#=&][\w.\[\]{}/\\*:#?=&%<>+-]*|[a-z]+[A-Z]\w*"
)


@dataclass(frozen=True, slots=True)
class Message:
    """A text with placeholders ``{name}``; ``plural``: of more than one, else empty."""

    text: str
    plural: str = ""


@dataclass(frozen=True, slots=True)
class Found:
    """A message, and the first place where it stands."""

    message: Message
    file: str
    line: int


def messages(source: Path = SOURCE) -> list[Found]:
    """Every message of the program, each once, in the order of files and lines."""
    out: dict[str, Found] = {}
    for path in sorted(source.rglob("*.py")):
        name = path.relative_to(source).as_posix()
        if not name.startswith(UNREAD):
            for message, line in _Reader().of(ast.parse(path.read_text(encoding="utf-8"))):
                _keep(out, Found(message, name, line))
    for path in sorted(source.rglob("pages/*.md")):
        name = path.relative_to(source).as_posix()
        for number, (_, text) in enumerate(blocks(path.read_text(encoding="utf-8")), 1):
            if text:
                _keep(out, Found(Message(text), name, number))
    for word in ("and", "or", "day", "week", "year"):  # between texts, and behind units
        _keep(out, Found(Message(word), "core/quantities.py", 1))
    for path in sorted(source.rglob("data/**/*")):
        name = path.relative_to(source).as_posix()
        for text in _told(path):
            _keep(out, Found(Message(text), name, 1))
    return list(out.values())


def _told(path: Path) -> list[str]:
    """The titles in what ships as data: profiles of links, modules, maps of registers."""
    if path.suffix == ".json":
        written = re.findall(
            r'"(?:title|about|name|note)":\s*("(?:[^"\\]|\\.)*")', path.read_text()
        )
        return [text for text in map(json.loads, written) if _is_read(text) and " " in text]
    if path.name == "modules.csv":
        return [row["name"] for row in csv.DictReader(path.read_text().splitlines())]
    return []


def _keep(out: dict[str, Found], found: Found) -> None:
    """Keep it, unless it is known; one with a plural takes the place of the same without."""
    text = found.message.text
    if text not in out or (found.message.plural and not out[text].message.plural):
        out[text] = found


Piece = tuple[str, ...]  # ways in which a part of a text may be worded


class _Reader(ast.NodeVisitor):
    """Goes through a module and gathers what is worded in it.

    More than twenty methods: one for each kind of node that says something.
    """

    def __init__(self) -> None:
        self._out: list[tuple[Message, int]] = []

    def of(self, tree: ast.Module) -> list[tuple[Message, int]]:
        """The messages of a module and their lines."""
        self.visit(tree)
        return self._out

    def visit_Expr(self, node: ast.Expr) -> None:
        if not isinstance(node.value, ast.Constant):  # what stands alone is documentation
            self.generic_visit(node)

    def visit_ClassDef(self, node: ast.ClassDef) -> None:
        for inner in node.body:
            self.visit(inner)

    def visit_AnnAssign(self, node: ast.AnnAssign) -> None:
        self._choices(node.annotation)
        if _name(node.target) == "WORDS" and isinstance(node.value, ast.Dict):
            for key in node.value.keys:  # of the guide: a word is what it is called
                if key is not None:
                    self.visit(key)
        if node.value is not None:
            self.visit(node.value)

    def visit_FunctionDef(self, node: ast.FunctionDef) -> None:
        self._function(node)

    def visit_arg(self, node: ast.arg) -> None:
        """An annotation is no text."""

    def visit_Raise(self, node: ast.Raise) -> None:
        """What only a programmer's mistake raises is not read."""
        if not (isinstance(node.exc, ast.Call) and _name(node.exc.func) in OURS_ALONE):
            self.generic_visit(node)

    def _function(self, node: ast.FunctionDef) -> None:
        for inner in (*node.args.defaults, *(d for d in node.args.kw_defaults if d), *node.body):
            self.visit(inner)
        for decorator in node.decorator_list:
            self.visit(decorator)

    def visit_Call(self, node: ast.Call) -> None:
        name = _name(node.func)
        self.visit(node.func)
        if name not in MACHINES:
            for inner in (*node.args, *(k.value for k in node.keywords)):
                self.visit(inner)
        else:
            spoken = node.args[1:] if name in ("get", "getattr") else ()  # what else is said
            for inner in node.args:
                if inner in spoken or not isinstance(inner, ast.Constant | ast.JoinedStr):
                    self.visit(inner)
        self._plural(node, name)

    def visit_Attribute(self, node: ast.Attribute) -> None:
        """``", ".join``: what stands between is a message when it has words."""
        self.visit(node.value)

    def visit_Compare(self, node: ast.Compare) -> None:
        for inner in (node.left, *node.comparators):
            if not isinstance(inner, ast.Constant | ast.Tuple | ast.Set | ast.List):
                self.visit(inner)

    def visit_Assign(self, node: ast.Assign) -> None:
        if _name(node.targets[0]) != "__all__":
            self.visit(node.value)

    def _choices(self, annotation: ast.expr) -> None:
        """What a setting may be is shown with blanks for underscores."""
        for inner in ast.walk(annotation):
            if isinstance(inner, ast.Subscript) and _name(inner.value) == "Literal":
                for choice in ast.walk(inner.slice):
                    if isinstance(choice, ast.Constant) and isinstance(choice.value, str):
                        self._say([(choice.value.replace("_", " "),)], inner.lineno)

    def visit_Subscript(self, node: ast.Subscript) -> None:
        self._choices(node)
        self.visit(node.value)
        if not isinstance(node.slice, ast.Constant | ast.JoinedStr):
            self.visit(node.slice)

    def visit_Dict(self, node: ast.Dict) -> None:
        for key, value in zip(node.keys, node.values, strict=True):
            if key is not None and not (isinstance(key, ast.Constant) and _is_name(key.value)):
                self.visit(key)
            self.visit(value)

    def visit_Constant(self, node: ast.Constant) -> None:
        if isinstance(node.value, str):
            self._say([(node.value,)], node.lineno)

    def visit_JoinedStr(self, node: ast.JoinedStr) -> None:
        self._say(list(_pieces(node, {})), node.lineno)
        self._inside(node)

    def visit_BinOp(self, node: ast.BinOp) -> None:
        if _has_words(node):
            self._say(list(_pieces(node, {})), node.lineno)
            self._inside(node)
        else:
            self.generic_visit(node)

    def _inside(self, node: ast.expr) -> None:
        """What is worded within the values of a text."""
        if isinstance(node, ast.JoinedStr):
            for value in node.values:
                if isinstance(value, ast.FormattedValue):
                    self.visit(value.value)
        elif isinstance(node, ast.BinOp) and isinstance(node.op, ast.Add):
            self._inside(node.left)
            self._inside(node.right)
        elif not isinstance(node, ast.Constant):
            self.visit(node)

    def _plural(self, node: ast.Call, name: str) -> None:
        """``count(n, "cell")``: 1 cell, 2 cells; ``has(cells, "is", "are")``: Cell 4 is."""
        words = [str(a.value) for a in node.args[1:] if isinstance(a, ast.Constant)]
        if name == "count" and len(words) == 1:
            one = f"{{n}} {words[0]}"
            self._out.append((Message(one, one + "s"), node.lineno))
        elif name == "has" and len(words) == 2:
            one, many = f"Cell {{cells}} {words[0]}", f"Cells {{cells}} {words[1]}"
            self._out.append((Message(one, many), node.lineno))

    def _say(self, pieces: list[Piece], line: int) -> None:
        ways = list(islice(product(*pieces), MOST_FORMS))
        pieces_of = [piece for way in ways for piece in MARKUP.split("".join(way))]
        texts = [text for piece in pieces_of if _is_read(text := _trimmed(piece))]
        if len(texts) == 2 and _only_s(texts[0], texts[1]):
            self._out.append((Message(*sorted(texts, key=len)), line))
        else:
            self._out.extend((Message(text), line) for text in texts)


def _trimmed(text: str) -> str:
    """Without what only joins it to the text before it."""
    text = text.strip().lstrip(";,:·–—. ")
    inside = text[1:-1]
    return inside if text[:1] + text[-1:] == "()" and "(" not in inside else text


def _only_s(one: str, other: str) -> bool:
    """Whether they are singular and plural, by an ``s``."""
    short, long = sorted((one, other), key=len)
    return (
        len(long) == len(short) + 1
        and "{" in short
        and any(long[i] == "s" and long[:i] + long[i + 1 :] == short for i in range(len(long)))
    )


def _is_name(value: object) -> bool:
    return isinstance(value, str) and (bool(NAME.fullmatch(value)) or value.islower())


def _is_read(text: str) -> bool:
    """Whether a person may read this: words, and not a key, a path or a query."""
    bare = re.sub(r"\{\w*\}|&\w+;", "", text)
    if all(word in UNITS for word in WORD.findall(bare)):
        return False
    parts = bare.split()
    if 2 * sum("_" in part for part in parts) >= len(parts):
        return False
    named = NAME.fullmatch(text) and not COLOURS.fullmatch(text)
    return not named and not UNSAID.match(text)


def _name(node: ast.expr) -> str:
    if isinstance(node, ast.Attribute):
        return node.attr
    return node.id if isinstance(node, ast.Name) else ""


def _has_words(node: ast.BinOp) -> bool:
    """Whether texts are put one behind the other."""
    if not isinstance(node.op, ast.Add):
        return False
    sides = (node.left, node.right)
    return any(
        isinstance(s, ast.JoinedStr)
        or (isinstance(s, ast.Constant) and isinstance(s.value, str))
        or (isinstance(s, ast.BinOp) and _has_words(s))
        for s in sides
    )


def _pieces(node: ast.expr, used: dict[str, int]) -> Iterator[Piece]:
    """The parts of a composed text: words, a choice of words, or a named placeholder."""
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        yield (node.value,)
    elif isinstance(node, ast.JoinedStr):
        for value in node.values:
            yield from _pieces(value, used)
    elif isinstance(node, ast.FormattedValue):
        yield from _pieces(node.value, used)
    elif isinstance(node, ast.BinOp) and _has_words(node):
        yield from _pieces(node.left, used)
        yield from _pieces(node.right, used)
    elif isinstance(node, ast.IfExp) and _is_choice(node):
        yield tuple(_choice(node, used))
    else:
        yield (f"{{{_placeholder(node, used)}}}",)


def _is_choice(node: ast.IfExp) -> bool:
    return all(
        isinstance(side, ast.JoinedStr)
        or (isinstance(side, ast.Constant) and isinstance(side.value, str))
        for side in (node.body, node.orelse)
    )


def _choice(node: ast.IfExp, used: dict[str, int]) -> Iterator[str]:
    for side in (node.body, node.orelse):
        for way in islice(product(*_pieces(side, used)), 2):
            yield "".join(way)


def _placeholder(node: ast.expr, used: dict[str, int]) -> str:
    """A name for what stands there; a second of the same name is numbered."""
    name = _called(node)
    used[name] = used.get(name, 0) + 1
    return name if used[name] == 1 else f"{name}{used[name]}"


def _called(node: ast.AST) -> str:
    """The last name in an expression that says what it is."""
    match node:
        case ast.Attribute(attr=name) | ast.Name(id=name):
            return name.strip("_") or "value"
        case ast.Subscript(value=inner) | ast.UnaryOp(operand=inner) | ast.BinOp(left=inner):
            return _called(inner)
        case ast.Call(func=ast.Attribute(attr="join"), args=[inner]):
            return _called(inner)
        case ast.Call(func=inner, args=arguments):
            name = _called(inner)
            return _called(arguments[0]) if name in SHAPERS and arguments else name
        case ast.IfExp(body=inner) | ast.GeneratorExp(elt=inner) | ast.BoolOp(values=[inner, *_]):
            return _called(inner)
        case _:
            return "value"


SHAPERS = frozenset(
    re.findall(
        r"\S+",
        "abs round max min len float int str escape sum ceil",
    )
)


def template(found: Iterable[Found]) -> Iterator[str]:
    """The list as a gettext template, line by line."""
    yield from (
        'msgid ""', 'msgstr ""', '"Project-Id-Version: Nipper\\n"',
        '"Content-Type: text/plain; charset=UTF-8\\n"',
        '"Content-Transfer-Encoding: 8bit\\n"',
    )  # fmt: skip
    for one in found:
        yield ""
        yield f"#: {one.file}"
        if "{" in one.message.text:
            yield "#, python-brace-format"
        yield f"msgid {_quoted(one.message.text)}"
        if one.message.plural:
            yield f"msgid_plural {_quoted(one.message.plural)}"
            yield from ('msgstr[0] ""', 'msgstr[1] ""')
        else:
            yield 'msgstr ""'


def _quoted(text: str) -> str:
    for plain, escaped in (("\\", "\\\\"), ('"', '\\"'), ("\n", "\\n"), ("\t", "\\t")):
        text = text.replace(plain, escaped)
    return f'"{text}"'


if __name__ == "__main__":
    print("\n".join(template(messages())))
