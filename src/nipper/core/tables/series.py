"""Documents that hold a quantity at a time, each with its readings, instead of a row at a time."""

from collections.abc import Mapping, Sequence
from typing import Any, cast

LEAST_SECONDS = 1e9  # since 1970: more than any reading of a pack
MOST_POINTS = 20_000_000
Labelled = tuple[dict[str, str], list[list[Any]]]


def long_rows(rows: Sequence[Any]) -> dict[str, list[Any]] | None:
    """Moment, name and value of every reading, of objects that hold a list of pairs each and say in
    words what they are; None for other rows.
    """
    found = [_labelled(row) for row in rows]
    told = [f for f in found if f is not None]
    if not told or len(told) < len(found) or sum(len(p) for _, p in told) > MOST_POINTS:
        return None
    # what is alike in all tells none from the others
    every = dict.fromkeys(k for labels, _ in told for k in labels)
    keys = [k for k in every if len({labels.get(k) for labels, _ in told}) > 1]
    names = [" ".join(labels[k] for k in keys if k in labels) for labels, _ in told]
    if len(set(names)) < len(names):
        return None
    time = 0 if _is_moment(told[0][1][0][0]) else 1
    out: dict[str, list[Any]] = {"time": [], "name": [], "value": []}
    for name, (_, points) in zip(names, told, strict=True):
        out["time"] += [point[time] for point in points]
        out["name"] += [name] * len(points)
        out["value"] += [point[1 - time] for point in points]
    return out


def _labelled(row: Any) -> Labelled | None:
    """The words of one object, and its pairs; None where it has none."""
    if not isinstance(row, dict):
        return None
    values = cast("dict[str, Any]", row)
    pairs = [cast("list[Any]", v) for v in values.values() if isinstance(v, list) and v]
    if len(pairs) != 1 or not all(_is_pair(point) for point in pairs[0]):
        return None
    first = pairs[0][0]
    if _is_moment(first[0]) == _is_moment(first[1]):
        return None
    return _words(values), pairs[0]


def _is_pair(point: Any) -> bool:
    return isinstance(point, list) and len(cast("list[Any]", point)) == 2


def _words(values: Mapping[str, Any]) -> dict[str, str]:
    """Texts of an object, and of the objects in it."""
    out: dict[str, str] = {}
    for key, value in values.items():
        if isinstance(value, str):
            out[key] = value
        elif isinstance(value, dict):
            out |= {f"{key} {k}": v for k, v in _words(cast("dict[str, Any]", value)).items()}
    return out


def _is_moment(value: Any) -> bool:
    number = isinstance(value, int | float) and value > LEAST_SECONDS
    return number or (isinstance(value, str) and ":" in value)


def columns(document: Mapping[str, Any]) -> dict[str, list[Any]] | None:
    """Equally long lists, some of which stand together under one name, as a list of lists: of each
    cell its readings, or of each reading its cells. Words beside them, as a pack's name, are left
    out. None for other documents.
    """
    inner = [k for k, v in document.items() if isinstance(v, dict | list)]
    found = {k: document[k] for k in inner if isinstance(document[k], list) and document[k]}
    lists = cast("dict[str, list[Any]]", found)
    plain = [v for v in lists.values() if not isinstance(v[0], dict | list)]
    if not plain or len(lists) < len(inner) or len({len(v) for v in plain}) != 1:
        return None
    rows, out = len(plain[0]), dict[str, list[Any]]()
    for name, value in lists.items():
        parts = _parts(value, rows)
        names = [f"{name} {i}" for i in range(1, len(parts) + 1)] if len(parts) > 1 else [name]
        if not parts or out.keys() & set(names):
            return None
        out |= dict(zip(names, parts, strict=True))
    return out


def _parts(value: list[Any], rows: int) -> list[list[Any]]:
    """The columns of one name; none where they do not fit the others."""
    if not isinstance(value[0], dict | list):
        return [value] if len(value) == rows else []
    if not all(isinstance(v, list) for v in value):
        return []
    inner = cast("list[list[Any]]", value)
    if len({len(part) for part in inner}) != 1:
        return []
    if any(isinstance(v, dict | list) for part in inner for v in part):
        return []
    if len(inner[0]) == rows:
        return inner
    return [list(part) for part in zip(*inner, strict=True)] if len(inner) == rows else []
