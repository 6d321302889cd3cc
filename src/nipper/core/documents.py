"""JSON documents from strangers: read within bounds, held against a model, refused with the place.

One reader for all open files of this program: setups, scenarios, menus, register maps.
"""

import json
from collections.abc import Sequence
from difflib import get_close_matches
from pathlib import Path
from typing import Any, TypeVar, get_args

from pydantic import BaseModel, ValidationError

from nipper.core.errors import InputError

MOST_BYTES = 1_000_000  # such files are a few kilobytes; none is read without end
KEYS_SHOWN = 12  # of those that are known, beside one that is not
SHOWN = 60  # characters of a wrong value that are repeated in the error

M = TypeVar("M", bound=BaseModel)


def load(model: type[M], path: str | Path) -> M:
    """Read a file and make a model of it.

    Raises
    ------
    InputError
        It cannot be read, is no JSON, or does not fit; the error names the first place.
    """
    return checked(model, parse_json(read_text(path), str(path)), str(path))


def read_text(path: str | Path) -> str:
    """The text of a file of strangers; :class:`InputError` when there is none, or too much of
    it.
    """
    file, path = str(path), Path(path)
    try:
        if path.exists() and not path.is_file():
            raise InputError(file, "the file", "a file, this is something else")
        if path.stat().st_size > MOST_BYTES:
            raise InputError(file, "the whole file", f"at most {MOST_BYTES} bytes")
        return path.read_bytes().decode("utf-8-sig")
    except OSError as error:
        raise InputError(file, "the file", f"a readable file ({error.strerror})") from None
    except UnicodeDecodeError as error:
        raise InputError(file, f"byte {error.start}", "UTF-8 text") from None
    except ValueError:  # a NUL in its name
        raise InputError(repr(file), "its name", "the name of a file") from None


def parse_json(text: str, file: str) -> object:
    """The document in a JSON text; an error names line and column, or the key."""
    try:
        return json.loads(text, object_pairs_hook=_no_duplicates)
    except json.JSONDecodeError as error:
        place = f"line {error.lineno} column {error.colno}"
        raise InputError(file, place, f"JSON ({error.msg})") from None
    except _DuplicateKeyError as error:
        raise InputError(file, error.key, "each key once, this one stands twice") from None
    except RecursionError:
        raise InputError(file, "the whole document", "less nesting than this") from None
    except ValueError:  # Python reads no integer of more than some thousand digits
        raise InputError(file, "a number in it", "fewer digits than these") from None


def checked(model: type[M], document: object, file: str) -> M:
    """Hold a document against a model; the error names the first place that does not fit."""
    try:
        return model.model_validate(document)
    except ValidationError as error:
        raise as_input_error(error, model, file) from None


def as_input_error(error: ValidationError, model: type[BaseModel], file: str) -> InputError:
    """One error of the many a document may have: the one that explains most."""
    # unknown keys first: usually a misspelling, it explains the missing key reported beside it
    first = min(error.errors(), key=lambda e: e["type"] != "extra_forbidden")
    place = ".".join(str(part) for part in first["loc"]) or "the whole document"
    match first["type"]:
        case "extra_forbidden":
            known = _nearest(str(first["loc"][-1]), known_keys(model, first["loc"][:-1]))
            return InputError(file, place, f"a known key, this one is not ({known})")
        case "missing":
            return InputError(file, place, "this key, it is missing")
        case _:
            pass
    expected = first["msg"].removeprefix("Input should be ").removeprefix("Value error, ")
    return InputError(file, place, f"{expected}, found {_short(first['input'])}")


def known_keys(model: type[BaseModel], place: Sequence[int | str]) -> list[str]:
    """The keys that may stand at a place of a document; none where no object stands."""
    inner = model_at(model, place)
    return [] if inner is None else list(inner.model_fields)


def _nearest(key: str, known: Sequence[str]) -> str:
    """The keys that may have been meant; all of them where they are few, or none is like it."""
    alike = get_close_matches(key, known, n=3)
    if alike:
        return f"{' or '.join(alike)}?"
    more = ", …" if len(known) > KEYS_SHOWN else ""
    return ", ".join(known[:KEYS_SHOWN]) + more


def model_at(model: type[BaseModel], place: Sequence[int | str]) -> type[BaseModel] | None:
    """The model of what stands at a place; an item of a list is named by its number."""
    found: type[BaseModel] | None = model
    for name in place:
        if isinstance(name, int) or name.isdigit():
            continue  # the list's own model is that of its items
        info = None if found is None else found.model_fields.get(name)
        found = None if info is None else model_in(info.annotation)
    return found


def model_in(annotation: Any) -> type[BaseModel] | None:
    """The model that may stand where such an annotation is; None where none may."""
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        return annotation
    return next((m for a in get_args(annotation) if (m := model_in(a)) is not None), None)


def _short(value: object) -> str:
    try:
        shown = repr(value)
    except ValueError:  # an integer of too many digits
        shown = "a very long number"
    return shown if len(shown) < SHOWN else f"{shown[: SHOWN - 3]}…"


class _DuplicateKeyError(ValueError):
    def __init__(self, key: str) -> None:
        super().__init__(key)
        self.key = key


def _no_duplicates(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    seen: dict[str, Any] = {}
    for key, value in pairs:
        if key in seen:
            raise _DuplicateKeyError(key)
        seen[key] = value
    return seen
