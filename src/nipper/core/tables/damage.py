"""Rows that a writer without power left behind: cut short, or two of them run together."""

import numpy as np

MOST_DAMAGED = 0.02  # of the rows; more are a habit of the file, no accident
LEAST_ROWS = 40


def without_damaged(body: bytes, separator: str, width: int) -> tuple[bytes, int]:
    """The rows of a table without the few that have other than ``width`` values, and how many.

    The last value of a row that was cut may have lost digits, and of two rows run together none
    can be told. What holds quotes is left as it is: a separator in them parts nothing.
    """
    if b'"' in body or b"\n" not in body:
        return body, 0
    lines = body.split(b"\n")
    mark = separator.encode()
    counts = np.fromiter((line.count(mark) for line in lines), np.int64, len(lines))
    filled = np.fromiter((bool(line.strip()) for line in lines), np.bool_, len(lines))
    odd = filled & (counts != width - 1)
    odd[-1] = False  # the end of the file is looked at by itself
    longer = odd & (counts >= width)
    for i in np.flatnonzero(longer):  # separators at the end part nothing
        odd[i] = lines[i].rstrip(mark + b" \r").count(mark) >= width
    rows = int(filled.sum())
    if not odd.any() or rows < LEAST_ROWS or odd.sum() > MOST_DAMAGED * rows:
        return body, 0
    kept = [line for line, out in zip(lines, odd.tolist(), strict=True) if not out]
    return b"\n".join(kept), int(odd.sum())
