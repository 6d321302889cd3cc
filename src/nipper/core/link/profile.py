"""Profiles: how battery and inverter talk, as data.

The messages of a CAN profile stand in a DBC file, read with cantools; a small open JSON file beside
it (``nipper-link-profile``) says which signal is which quantity, how often it comes and what the
numbers mean. A maker's own DBC is used by writing such a file for it.
"""

import logging
import warnings
from collections.abc import Iterable
from dataclasses import dataclass
from functools import cache, cached_property
from importlib import resources
from importlib.resources.abc import Traversable
from pathlib import Path
from typing import TYPE_CHECKING, Literal

from pydantic import BaseModel, ConfigDict, Field

from nipper.core.documents import checked, parse_json, read_text
from nipper.core.errors import InputError
from nipper.core.link.quantities import BY_NAME, NEEDED

if TYPE_CHECKING:
    from cantools.database.can import Database, Message

MOST_MESSAGES = 500
BUNDLED = ("limits-can", "rvc-dc-source", "canopen-battery")


class _Part(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", strict=True, allow_inf_nan=False)


class ProfileMessage(_Part):
    """A message by its name in the DBC: how often it comes, and which signal is which quantity."""

    name: str = Field(max_length=200)
    period_ms: int = Field(ge=1, le=3_600_000)
    signals: dict[str, str] = Field(default_factory=dict, max_length=200)
    fixed: dict[str, int] = Field(default_factory=dict, max_length=200)  # as sent, unscaled


class FromInverter(_Part):
    """What the inverter must send so that the battery goes on talking."""

    name: str = Field(max_length=200)
    period_ms: int = Field(ge=1, le=3_600_000)


class ProfileFile(_Part):
    """The file as it is written."""

    format: Literal["nipper-link-profile"] = "nipper-link-profile"
    version: Literal[1] = 1
    name: str = Field(max_length=100, pattern=r"^[A-Za-z0-9][A-Za-z0-9._-]*$")
    title: str = Field(max_length=200)
    source: str = Field(max_length=1000)
    transport: Literal["can"] = "can"
    bit_rate: int = Field(ge=1000, le=1_000_000)
    dbc: str = Field(max_length=200)
    limits_of: Literal["bank", "pack"] = "bank"
    absent: Literal["none", "all-ones"] = "none"
    current_positive: Literal["charging", "open"] = "charging"  # open: the standard leaves it so
    messages: tuple[ProfileMessage, ...] = Field(strict=False, min_length=1, max_length=100)
    from_inverter: FromInverter | None = None

    @property
    def quantities(self) -> list[str]:
        """What the battery tells through it."""
        return [q for m in self.messages for q in m.signals.values()]

    @property
    def missing(self) -> list[str]:
        """What a closed loop needs and this profile does not carry."""
        return [q for q in NEEDED if q not in self.quantities]


@dataclass(frozen=True)
class Profile:
    """A profile with its messages."""

    file: ProfileFile
    database: "Database"

    @cached_property
    def by_id(self) -> "dict[tuple[int, bool], Message]":
        """The messages by identifier, and whether it is a long one."""
        return {(m.frame_id, m.is_extended_frame): m for m in self.database.messages}

    @cached_property
    def told(self) -> dict[str, ProfileMessage]:
        """What the profile says of the messages, by name."""
        return {m.name: m for m in self.file.messages}

    @property
    def quantities(self) -> list[str]:
        """What the battery tells through it."""
        return self.file.quantities

    @property
    def missing(self) -> list[str]:
        """What a closed loop needs and this profile does not carry."""
        return self.file.missing


@cache
def bundled_file(name: str) -> ProfileFile:
    """What one of the profiles that ship says, without its messages' layout."""
    text = _folder().joinpath(f"{name}.json").read_text("utf-8")
    return checked(ProfileFile, parse_json(text, name), name)


def bundled(name: str) -> Profile:
    """One of the profiles that ship."""
    file = bundled_file(name)
    return _with_messages(file, _folder().joinpath(file.dbc).read_text("utf-8"), name)


def _folder() -> Traversable:
    return resources.files("nipper.core.link").joinpath("data", "profiles")


def load_file(name_or_file: str) -> ProfileFile:
    """What a profile says, without its messages' layout; errors as :func:`load_profile`."""
    if name_or_file in BUNDLED:
        return bundled_file(name_or_file)
    path = Path(name_or_file)
    if not path.suffix:
        expected = f"a file, or one of {', '.join(BUNDLED)}"
        raise InputError(name_or_file, "the profile", expected)
    return checked(ProfileFile, parse_json(read_text(path), str(path)), str(path))


def load_profile(name_or_file: str) -> Profile:
    """A profile that ships, by its name, or one of the user's own, by its file.

    Raises
    ------
    InputError
        There is no such profile, its file or its DBC cannot be used, or they do not fit together.
    """
    if name_or_file in BUNDLED:
        return bundled(name_or_file)
    file, path = load_file(name_or_file), Path(name_or_file)
    dbc = path.parent / file.dbc
    if Path(file.dbc).name != file.dbc:
        raise InputError(str(path), "dbc", "the name of a file beside this one")
    return _with_messages(file, read_text(dbc), str(path))


def read_dbc(text: str, file: str) -> "Database":
    """The messages of a DBC file.

    Raises
    ------
    InputError
        It is none, or holds more than can be meant.
    """
    from cantools.database.can import Database

    logging.getLogger("cantools").setLevel(logging.ERROR)  # what it warns of is refused below
    database = Database(strict=True)
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            database.add_dbc_string(text)
    except Exception as error:  # a parser at strangers' text, whatever it raises
        first = " ".join(str(error).split())[:120]
        raise InputError(file, "the DBC file", f"messages as DBC has them ({first})") from None
    names = [m.name for m in database.messages]
    numbers = [m.frame_id for m in database.messages]
    twice = next((n for n in names if names.count(n) > 1), None)
    if twice or len(set(numbers)) < len(numbers):
        raise InputError(file, "the DBC file", f"each message once, {twice or 'one'} comes twice")
    if len(database.messages) > MOST_MESSAGES:
        raise InputError(file, "the DBC file", f"at most {MOST_MESSAGES} messages")
    return database


def _with_messages(file: ProfileFile, dbc: str, place: str) -> Profile:
    database = read_dbc(dbc, file.dbc)
    known = {m.name: m for m in database.messages}
    for i, message in enumerate(file.messages):
        at = f"messages.{i}"
        if message.name not in known:
            raise InputError(place, f"{at}.name", f"a message of {file.dbc}: {_some(known)}")
        signals = {s.name for s in known[message.name].signals}
        for signal, quantity in message.signals.items():
            if signal not in signals:
                raise InputError(
                    place, f"{at}.signals.{signal}", f"a signal of {message.name}: {_some(signals)}"
                )
            if quantity not in BY_NAME:
                raise InputError(
                    place, f"{at}.signals.{signal}", f"a quantity, one of {_some(BY_NAME)}"
                )
    if file.from_inverter and file.from_inverter.name not in known:
        raise InputError(place, "from_inverter.name", f"a message of {file.dbc}: {_some(known)}")
    profile = Profile(file, database)
    twice = [q for q in set(profile.quantities) if profile.quantities.count(q) > 1]
    if twice:
        raise InputError(place, "messages", f"each quantity once, {twice[0]} comes twice")
    return profile


def _some(names: Iterable[str], most: int = 30) -> str:
    shown = sorted(names)
    return ", ".join(shown[:most]) + (" …" if len(shown) > most else "")
