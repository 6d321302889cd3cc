"""The trade's words as Nipper uses them; each is explained once, here."""

import re
from functools import lru_cache

WORDS: dict[str, str] = {
    "absorption": "the part of a charge in which the voltage is held and the current falls",
    "absorption time": "how long the voltage is held at its target before the charger goes to "
    "float",
    "active balancer": "moves charge from high cells to low ones, 0.5 to 2 A; a passive one burns "
    "it in resistors, 0.05 to 0.2 A",
    "address": "the number by which a pack is called on a bus; the first is usually the host's",
    "air": "around the bank; cells follow it by hours, their middle last",
    "alarm": "a limit that only warns: the trip is near",
    "alarms": "what the BMS warns of now, and which trips are open",
    "at rest": "no current for an hour or more: only then do volts tell charge, and on LFP only "
    "near the ends",
    "balance start": "the cell voltage below which a balancer does nothing",
    "balance trigger": "the difference between highest and lowest cell from which it works",
    "bath": "ice and water, or salted ice, of a known temperature: what a sensor is held against",
    "battery switch": "parts the bank from everything else; opened without load, and for all work",
    "battery type": "what an inverter or charger is told is connected; it decides who sets the "
    "voltages",
    "bench supply": "a supply with its voltage and current set by hand, for one cell or one pack",
    "block": "neighbouring cells that stray together: electronics rather than cells",
    "BMS": "battery management system: reads every cell and parts the pack from all else at a "
    "limit",
    "busbar": "the bar between cells, or on which packs and devices meet",
    "C": "current as a share of capacity: 0.2C of 280 Ah are 56 A",
    "capacity": "the charge between full and empty, in Ah, at a stated current and temperature",
    "cell over-voltage": "the highest a cell may go; above it the electrolyte decays",
    "cell under-voltage": "the lowest a cell may go; further down it is damaged",
    "cells at": "the cells' own temperature, not the air's",
    "cells in series": "how many cells stand one above the other: their voltages add up",
    "charge": "what a cell holds, in Ah or % of its capacity; its volts are only a hint of it",
    "charge current": "what flows into the bank; a cell's sheet says how much of its capacity an "
    "hour",
    "charge current limit": "the most current into the bank that the BMS allows at this moment",
    "charge left": "ampere-hours a BMS believes are in the pack; over the full charge: its %",
    "charge over-current": "more current into the pack than its BMS lets pass",
    "charge over-temperature": "too warm to be charged: cells age fast, sheets end at 45 to 60 °C",
    "charge under-temperature": "too cold to be charged: below freezing lithium plates on the "
    "anode",
    "charge voltage limit": "the voltage that the BMS tells a charger to hold",
    "coldest cell": "nearest the outer wall, as a rule: there belongs the sensor that stops a "
    "charge",
    "counted": "charge added up from current and time; it drifts until the next full charge",
    "counter": "a BMS's own count of charge, in %; right after a full charge, a guess weeks later",
    "current": "in amperes; positive into the bank, negative out of it",
    "cycles": "full ones: all charge taken out, divided by the capacity",
    "dark": "a BMS that has turned itself off: no display, no radio, nothing at the terminals",
    "delay": "how long a limit may be passed before the BMS acts",
    "deviation": "highest less lowest cell at one moment; it means little without the voltage and "
    "current at which it was read",
    "discharge current limit": "the most current out of the bank that the BMS allows at this "
    "moment",
    "discharge over-current": "more current out of the pack than its BMS lets pass",
    "discharge over-temperature": "too warm to be used",
    "discharge under-temperature": "too cold to be used: the voltage gives way early",
    "drift": "charge a cell gains or loses by itself against the others, in mAh a day",
    "ended by": "the cell whose limit ended a test: the pack holds no more than that one gives",
    "equalise": "a charge to a higher target than usual, now and then, so that all cells fill",
    "float": "the voltage a charger holds once absorption is over",
    "full charge": "a charge that reached absorption: the moment at which cells can be compared",
    "fuse": "melts before the lead burns; it must also break what a short circuit drives",
    "gate": "a current and time at which a fuse of the standard must not melt yet, or must have "
    "melted",
    "herd": "all cells that behave like the median one",
    "host": "the pack that speaks to the inverter for all others",
    "hysteresis": "the distance between trip and release; without it a switch chatters",
    "inverter": "makes mains from the bank, and often charges it; it takes the least of all limits",
    "joint": "bar, bolt and terminal; a loose one shows under current only",
    "kept at": "the charge at which a bank mostly stands: the higher, the faster it ages",
    "knee": "where the charge curve turns steep near full; only there does a deviation tell charge "
    "on LFP",
    "lead": "a cable between parts; thickness and insulation say what it may carry",
    "lines": "as many cells as are to be compared",
    "load": "what takes from the bank; its watts divided by volts and losses are the amperes",
    "loads": "all that takes from the bank",
    "low-voltage alarm": "where an inverter warns that the bank is nearly empty",
    "low-voltage cut": "where an inverter stops taking; above the BMS's own limit, so that it is "
    "first",
    "main fuse": "the bank's own, next to its plus: for the current of all packs together",
    "main lead": "from the bank to the inverter: carries the current of all packs",
    "measured": "read on the real thing, with a meter or in a log, rather than taken from a sheet",
    "meter": "a multimeter; 1 mV and 0.5 % are enough for all that is asked here",
    "must break": "the current a fuse must be able to part: what a short circuit drives through it",
    "nominal voltage": "a name for a class of banks, such as 12, 24 or 48 V; never a setting",
    "number of the case": "two people with the same number and the same bank get the same fault",
    "offset": "charge of a cell against the median cell, in % of capacity or Ah; + is fuller",
    "open loop": "inverter or charger on its own voltages, without the BMS's limits; closed loop: "
    "the BMS sends them",
    "pack over-voltage": "the highest the whole pack may go; cells are the first to be looked at",
    "pack under-voltage": "the lowest the whole pack may go; cells are the first to be looked at",
    "packs online": "how many packs the host hears and counts",
    "plating": "lithium metal on the anode, from charging in the cold or too fast: lost for good",
    "power-off": "the BMS turns itself off; nothing but a charger wakes it",
    "proof": "something that was tried on the real bank, with its date and what it was tried with",
    "put away": "for months, at 50 to 60 %, off and cool; full is what ages a cell most",
    "rate from": "the temperature from which a step of the table allows its share of the capacity",
    "reacted": "stopped, or went to its own values, after it heard no more from the BMS",
    "read back": "what the BMS shows, held against what was set",
    "reading": "what a meter or a screen shows, with its time",
    "recovery": "how long after a trip the BMS tries again by itself",
    "reference": "the voltage at which a BMS sets its count of charge to 0 or 100 %",
    "release": "the voltage or temperature at which a protection lets go again",
    "resistance": "of a cell or joint: its voltage moves with the current, and is level at rest",
    "resumes at": "where charging is allowed again: 1 to 3 K above where it stops",
    "salt": "in ice it brings the bath far below freezing, down to −21 °C at 23 % (a eutectic)",
    "school": "one of the ways on which practitioners differ; Protect and Level show what each "
    "costs your bank",
    "self-discharge": "charge a cell loses lying still",
    "sense lead": "the thin lead by which a BMS reads and balances a cell",
    "sensor": "of temperature; where it sits decides what it knows",
    "short circuit": "plus on minus: kiloamperes within a millisecond, parted by BMS and fuse",
    "standby draw": "what BMS, display and radio take with nothing connected",
    "starts again": "where an inverter that cut off takes from the bank again",
    "state of charge": "how full, in %; a BMS counts it and loses count in time",
    "stays live": "what still has voltage when everything is off: the cells, and panels by day",
    "stays on": "what goes on drawing while the bank is put away",
    "stops below": "the temperature under which nothing charges",
    "sun": "the power of the panels as it comes; of it a charger takes what it may",
    "supply": "a source set by hand to a voltage and a current",
    "switches": "the BMS's own, that part charge and discharge; they warm with the current",
    "switches over-temperature": "the BMS's own switches are too hot",
    "tail current": "absorption ends early when the current has fallen to this",
    "tap": "where a sense lead sits on a cell's terminal",
    "temperature": "of the cells, by the sensors; cold forbids to charge, heat ages",
    "temperature compensation": "a lead-acid habit, more volts in the cold: 0 for lithium cells",
    "terminals": "the pack's own are behind its BMS: dead when it has parted",
    "termination": "120 Ω at each end of a CAN or RS-485 bus; 60 Ω on the meter with both",
    "tightened": "to the torque on the cell's or lug's sheet; noted, and checked once a year",
    "trip": "the value at which a protection switches off, after its delay",
    "user-defined": "a battery type that takes the voltages as they are typed in",
    "voltage": "of all cells of a pack together, unless a cell is named",
    "was back": "took the BMS's limits again, after the plug was in",
}

FEW = 6  # words of a name; what is longer is a sentence


@lru_cache(maxsize=4096)
def word_in(name: str) -> str:
    """The longest of the trade's words that a field's or column's name holds; else empty."""
    if not name or len(name.split()) > FEW:
        return ""
    return max(words_in(name), key=len, default="")


def words_in(text: str) -> list[str]:
    """All of the trade's words that stand in a text, each once, the longer before its parts."""
    return list(dict.fromkeys(_KEYS[found.lower()] for found in _ANY.findall(text)))


_KEYS = {word.lower(): word for word in WORDS}
_LONGEST_FIRST = sorted(WORDS, key=len, reverse=True)
_ANY = re.compile(rf"(?i)(?<![\w°])(?:{'|'.join(map(re.escape, _LONGEST_FIRST))})\b")
