"""What one types into a field: arithmetic and units.

``0.2C``, ``3.45*16``, ``55.2/16``, ``3450 mV``, ``14 F``, ``1.5 h``.
"""

import ast
import operator
import re
from collections.abc import Callable
from dataclasses import dataclass

from nipper.core.errors import RangeError

MAX_LENGTH = 80

OPERATORS: dict[type, Callable[[float, float], float]] = {
    ast.Add: operator.add,
    ast.Sub: operator.sub,
    ast.Mult: operator.mul,
    ast.Div: lambda a, b: a / b,
}

# how many of the field's own unit one of that unit is; a function where it is no mere factor
UNITS: dict[str, dict[str, float | Callable[[float], float]]] = {
    "V": {"V": 1.0, "mV": 1e-3},
    "mV": {"mV": 1.0, "V": 1e3},
    "A": {"A": 1.0, "mA": 1e-3},
    "Ah": {"Ah": 1.0, "mAh": 1e-3},
    "s": {"s": 1.0, "ms": 1e-3, "min": 60.0, "h": 3600.0},
    "h": {"h": 1.0, "min": 1 / 60.0},
    "min": {"min": 1.0, "h": 60.0, "s": 1 / 60.0},
    "µs": {"µs": 1.0, "us": 1.0, "ms": 1e3},
    "°C": {
        "°C": 1.0,
        "C": 1.0,
        "K": lambda k: k - 273.15,
        "F": lambda f: (f - 32.0) / 1.8,
        "°F": lambda f: (f - 32.0) / 1.8,
    },
    "°F": {
        "°F": 1.0,
        "F": 1.0,
        "°C": lambda c: c * 1.8 + 32.0,
        "C": lambda c: c * 1.8 + 32.0,
        "K": lambda k: (k - 273.15) * 1.8 + 32.0,
    },
    "Ω": {"Ω": 1.0, "ohm": 1.0, "kΩ": 1e3, "kohm": 1e3},
    "%": {"%": 1.0},
    "mΩ": {"mΩ": 1.0, "mohm": 1.0, "Ω": 1e3, "ohm": 1e3, "µΩ": 1e-3},
    "W": {"W": 1.0, "kW": 1e3},
    "kWh": {"kWh": 1.0, "Wh": 1e-3},
    "kWh/day": {"kWh": 1.0, "Wh": 1e-3},
    "mV/K": {"mV": 1.0, "V": 1e3},
    "%/K": {"%": 1.0},
    "kA": {"kA": 1.0, "A": 1e-3},
    "C": {"C": 1.0},
    "mm²": {"mm²": 1.0, "mm2": 1.0},
    "m": {"m": 1.0, "cm": 1e-2, "mm": 1e-3, "ft": 0.3048},
    "days": {"days": 1.0, "d": 1.0, "weeks": 7.0},
    "°": {"°": 1.0, "deg": 1.0},
    "": {},
}
TAIL = re.compile(r"^(?P<number>.*?[\d.)])\s*(?P<unit>[A-Za-zµΩ°²][A-Za-z0-9µΩ°²]*)?$")


@dataclass(frozen=True, slots=True)
class Context:
    """What a field knows of the pack: ``C`` in amperes needs the capacity.

    ``of_pack``: the current is one of the pack itself, that may be shown as a share of it.
    """

    capacity_ah: float | None = None
    of_pack: bool = False


def parse_quantity(text: str, unit: str, context: Context = Context()) -> float:
    """The number meant, in the field's own unit.

    Raises
    ------
    RangeError
        Says what was expected; the text is kept by the field.
    """
    clean = (
        text.strip()
        .replace(",", ".")
        .replace("−", "-")
        .replace("×", "*")
        .replace("÷", "/")
        .replace("·", "*")
    )
    match = TAIL.match(clean)
    if not match or len(clean) > MAX_LENGTH:
        raise RangeError(
            f"expected a number{f' in {unit}' if unit else ''}, found {text.strip()!r}"
        )
    value, written = _evaluate(match["number"], text), match["unit"]
    if not written:
        return value
    if unit == "A" and written == "C":
        if not context.capacity_ah:
            raise RangeError("expected amperes: C needs the pack's capacity")
        return round(value * context.capacity_ah, 6)
    if unit == "C" and written in UNITS["A"] and context.capacity_ah:
        return round(parse_quantity(text, "A") / context.capacity_ah, 9)
    known = UNITS.get(unit, {})
    if written not in known:
        raise RangeError(
            f"expected {unit or 'no unit'} ({', '.join(known) or 'a plain number'}), "
            f"found {written!r}"
        )
    factor = known[written]
    return round(factor(value) if callable(factor) else value * factor, 9)


def _evaluate(expression: str, text: str) -> float:
    try:
        value = _value(ast.parse(expression, mode="eval").body)
    except (SyntaxError, ValueError, ZeroDivisionError, OverflowError, RecursionError):
        raise RangeError(
            f"expected a number or arithmetic such as 3.45*16, found {text.strip()!r}"
        ) from None
    if not -1e9 < value < 1e9:
        raise RangeError(f"expected a number that can be meant, found {value:g}")
    return value


def _value(node: ast.expr) -> float:
    """Only numbers and the four operations: nothing else a text could hold is ever run."""
    if (
        isinstance(node, ast.Constant)
        and isinstance(node.value, int | float)
        and not isinstance(node.value, bool)
    ):
        return float(node.value)
    if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.USub | ast.UAdd):
        return -_value(node.operand) if isinstance(node.op, ast.USub) else _value(node.operand)
    if isinstance(node, ast.BinOp) and type(node.op) in OPERATORS:
        return OPERATORS[type(node.op)](_value(node.left), _value(node.right))
    raise ValueError


MINUS = re.compile(r"(?<![\w.,)])-(?=\d)")  # a hyphen before a number is a minus sign


NOTHING = re.compile(r"(?<![\w.,)])[-−](?=0(?:\.0+)?(?![\d.]))")  # less than nothing, rounded


def with_minus(text: str) -> str:
    """A text as it is printed: its negative numbers with a minus sign, nothing without one."""
    return MINUS.sub("−", NOTHING.sub("", text))


SUFFIX_UNITS = (
    ("_deg", "°"),
    ("_mv_per_k", "mV/K"),
    ("_pct_per_k", "%/K"),
    ("kwh_per_day", "kWh/day"),
    ("c_rate", "C"),
    ("_ka", "kA"),
    ("_mohm", "mΩ"),
    ("_mah_per_day", "mAh/day"),
    ("_mv", "mV"),
    ("_mm2", "mm²"),
    ("_min", "min"),
    ("_us", "µs"),
    ("_days", "days"),
    ("_ah", "Ah"),
    ("_pct", "%"),
    ("_v", "V"),
    ("_a", "A"),
    ("_s", "s"),
    ("_c", "°C"),
    ("_w", "W"),
    ("_h", "h"),
    ("_m", "m"),
)


def unit_of(name: str) -> str:
    """The unit a setting's name ends in, as it is written for people; empty for a plain number."""
    return next((unit for suffix, unit in SUFFIX_UNITS if name.endswith(suffix)), "")


def format_quantity(value: float, unit: str, cells_at_least: int = 0) -> str:
    """A number with its unit; voltages of a cell with at least two digits, of a pack with one."""
    if unit == "V":
        digits = 2 if round(value, 2) == round(value, 3) else 3
        return f"{value:.{max(digits, cells_at_least)}f} V"
    text = f"{value:g}" if abs(value) < 1e6 else f"{value:.0f}"
    return f"{text.replace('-', '−')} {unit}".strip()
