"""The trade's words as Nipper uses them; each is explained once, here."""

WORDS: dict[str, str] = {
    "absorption": "the part of a charge in which the voltage is held and the current falls",
    "active balancer": "moves charge from high cells to low ones, 0.5 to 2 A; a passive one burns "
    "it in resistors, 0.05 to 0.2 A",
    "address": "the number by which a pack is called on a bus; the first is usually the host's",
    "alarm": "a limit that only warns: the trip is near",
    "balance start": "the cell voltage below which a balancer does nothing",
    "balance trigger": "the difference between highest and lowest cell from which it works",
    "block": "neighbouring cells that stray together: electronics rather than cells",
    "C": "current as a share of capacity: 0.2C of 280 Ah are 56 A",
    "cell under-voltage": "the lowest a cell may go; further down it is damaged",
    "delay": "how long a limit may be passed before the BMS acts",
    "deviation": "highest less lowest cell at one moment; it means little without the voltage and "
    "current at which it was read",
    "drift": "charge a cell gains or loses by itself against the others, in mAh a day",
    "equalise": "a charge to a higher target than usual, now and then, so that all cells fill",
    "float": "the voltage a charger holds once absorption is over",
    "full charge": "a charge that reached absorption: the moment at which cells can be compared",
    "gate": "a current and time at which a fuse of the standard must not melt yet, or must have "
    "melted",
    "herd": "all cells that behave like the median one",
    "host": "the pack that speaks to the inverter for all others",
    "hysteresis": "the distance between trip and release; without it a switch chatters",
    "joint": "bar, bolt and terminal; a loose one shows under current only",
    "knee": "where the charge curve turns steep near full; only there does a deviation tell "
    "charge on LFP",
    "offset": "charge of a cell against the median cell, in % of capacity or Ah; + is fuller",
    "open loop": "inverter or charger on its own voltages, without the BMS's limits; closed loop: "
    "the BMS sends them",
    "plating": "lithium metal on the anode, from charging in the cold or too fast: lost for good",
    "power-off": "the BMS turns itself off; nothing but a charger wakes it",
    "proof": "something that was tried on the real bank, with its date and what it was tried with",
    "read back": "what the BMS shows, held against what was set",
    "recovery": "how long after a trip the BMS tries again by itself",
    "reference": "the voltage at which a BMS sets its count of charge to 0 or 100 %",
    "release": "the voltage or temperature at which a protection lets go again",
    "resistance": "of a cell or joint: its voltage moves with the current, and is level at rest",
    "school": "one of the ways on which practitioners differ; Protect and Level show what each "
    "costs your bank",
    "self-discharge": "charge a cell loses lying still",
    "standby draw": "what BMS, display and radio take with nothing connected",
    "state of charge": "how full, in %; a BMS counts it and loses count in time",
    "tail current": "absorption ends early when the current has fallen to this",
    "tap": "where a sense lead sits on a cell's terminal",
    "termination": "120 Ω at each end of a CAN or RS-485 bus; 60 Ω on the meter with both",
    "trip": "the value at which a protection switches off, after its delay",
}
