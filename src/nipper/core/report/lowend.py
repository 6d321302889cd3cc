"""The low end in words."""

from nipper.core.link.lowend import Act, By

HEADS = ("as it empties", "by", "set to", "of charge at rest", "under this load", "volts then")


def row(act: Act) -> tuple[str, ...]:
    """One line of the table, as :data:`HEADS` names it."""
    set_to = f"{act.set:g} %" if act.by is By.COUNT else f"{act.set:.2f} V"
    return (
        act.name,
        str(act.by),
        set_to,
        _share(act.rest_pct),
        _share(act.load_pct),
        f"{act.load_v:.1f} V",
    )


def _share(pct: float) -> str:
    """Near empty a tenth counts."""
    return f"{pct:.0f} %" if pct >= 10.0 else f"{pct:.1f} %"
