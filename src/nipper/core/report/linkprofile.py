"""Protocol and profile in words."""

from nipper.core.errors import NipperError
from nipper.core.link.answer import USUAL_PROFILE
from nipper.core.link.points import BUNDLED, load_registers
from nipper.core.link.profile import load_file
from nipper.core.link.protocols import offers
from nipper.core.link.quantities import BY_NAME, NEEDED
from nipper.core.report.consequence import Status
from nipper.core.setup import Setup

TYPE_THEM = (
    "Type the protocols that either menu offers: what stands in both can be chosen at both ends."
)


def common_words(setup: Setup) -> tuple[Status, str]:
    """What both ends offer."""
    found = offers(setup)
    if not found.known:
        return Status.NONE, TYPE_THEM
    ends = {"the battery": found.battery_only, "the inverter": found.inverter_only}
    rest = [f"only {end} offers {', '.join(words)}" for end, words in ends.items() if words]
    also = f" {_sentence('; '.join(rest))}" if rest else ""
    if not found.both:
        return Status.ACT, f"Nothing stands in both menus: the bank runs open loop.{also}"
    choose = "set it" if len(found.both) == 1 else "set one of them"
    return Status.OK, f"Both offer {', '.join(found.both)}: {choose} at both ends.{also}"


def profile_words(setup: Setup) -> tuple[Status, str]:
    """What the profile that is set tells, and what of a closed loop it does not."""
    name = (setup.link.profile if setup.link else None) or USUAL_PROFILE
    try:
        if name in BUNDLED:
            registers = load_registers(name)
            title, told = registers.title, [p.quantity for p in registers.points]
        else:
            file = load_file(name)
            title, told = file.title, file.quantities
    except NipperError as error:
        return Status.ACT, str(error)
    lacks = [BY_NAME[q].title for q in NEEDED if q not in told]
    tells = ", ".join(BY_NAME[q].title for q in told if q in BY_NAME and q != "alive")
    if lacks:
        return Status.WATCH, f"{title} tells {tells}. A closed loop also needs {', '.join(lacks)}."
    return Status.OK, f"{title} tells {tells}: all that a closed loop needs."


def _sentence(text: str) -> str:
    return f"{text[:1].upper()}{text[1:]}."
