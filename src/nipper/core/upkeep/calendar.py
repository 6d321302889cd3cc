"""The duties as iCalendar (RFC 5545), for the user's own calendar."""

from collections.abc import Sequence
from datetime import UTC, datetime
from typing import Any

from nipper.core.upkeep.due import Due

PRODUCT = "-//Nipper//upkeep//EN"


def calendar(dues: Sequence[Due], name: str, now_s: float) -> bytes:
    """A day for each duty, with why and with what; what is over stands today."""
    from icalendar import Calendar, Event

    out: Any = Calendar()
    out.add("prodid", PRODUCT)
    out.add("version", "2.0")
    for i, found in enumerate(dues):
        at = datetime.fromtimestamp(max(found.due_s, now_s), UTC)
        event: Any = Event()
        event.add("uid", f"{found.duty.value.replace(' ', '-')}-{i}-{at:%Y%m%d}@nipper")
        event.add("summary", f"{name}: {found.title}")
        event.add("dtstart", at.date())
        event.add("dtstamp", datetime.fromtimestamp(now_s, UTC))
        tools = f" With: {found.tools}." if found.tools else ""
        event.add("description", f"{found.why} About {found.minutes:.0f} minutes.{tools}")
        out.add_component(event)
    return bytes(out.to_ical())
