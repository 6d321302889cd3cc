"""What the kernel works on: plain arrays and numbers, nothing that compiled code would have to look
inside.

Arrays of cells are [packs, cells], of protections [protections] or [packs, protections], of
chargers [chargers]. Charging current is positive.
"""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.floating]
Ints = NDArray[np.int64]
Flags = NDArray[np.bool_]

# protections in the order of the tables
CELL_OVER, PACK_OVER, CHARGE_CURRENT, CHARGE_HOT, CHARGE_COLD = 0, 1, 2, 3, 4
CELL_UNDER, PACK_UNDER, DISCHARGE_CURRENT, DISCHARGE_HOT, DISCHARGE_COLD = 5, 6, 7, 8, 9
SHORT, SWITCH_HOT = 10, 11
PROTECTIONS = (
    "cell_over_voltage",
    "pack_over_voltage",
    "charge_over_current",
    "charge_over_temperature",
    "charge_under_temperature",
    "cell_under_voltage",
    "pack_under_voltage",
    "discharge_over_current",
    "discharge_over_temperature",
    "discharge_under_temperature",
    "short_circuit",
    "mosfet_over_temperature",
)
RISING = np.array(
    [True, True, True, True, False, False, False, True, True, False, True, True]
)  # acts above, or below, its value
BY_TIME = np.array(
    [False, False, True, False, False, False, False, True, False, False, True, False]
)  # releases after a time
OPENS_CHARGE = np.array(
    [True, True, True, True, True, False, False, False, False, False, True, True]
)
OPENS_DISCHARGE = np.array(
    [False, False, False, False, False, True, True, True, True, True, True, True]
)
TRIPPED, RELEASED, ALARMED = 0, 1, 2  # kinds of event

PASSIVE, ACTIVE = 1, 2
WHILE_CHARGING, AT_REST, ALWAYS = 0, 1, 2
BULK, ABSORPTION, FLOAT = 0, 1, 2
(
    BY_NOTHING,
    BY_SUN,
    BY_CHARGER,
    BY_ABSORPTION,
    BY_FLOAT,
    BY_BMS,
    BY_REQUEST,
    BY_INVERTER,
    BY_COLD,
) = range(9)
LIMITERS = (
    "nothing to charge with",
    "sun",
    "charger",
    "absorption",
    "float",
    "BMS",
    "the BMS's request",
    "inverter",
    "cold",
)

NOISE_MASK = (
    (1 << 20) - 1
    # length of the table of normal numbers, less one: four days of sixteen cells at 10 s before it
    # repeats
)
NOISE_EXTRA = 512  # beyond the mask, so that a string of cells is read without wrapping


class Cells(NamedTuple):
    """What does not change between events: Ah, ohm, A; the curve is one for all."""

    capacity_ah: Floats
    r0_ohm: Floats  # ohmic, at 25 degC
    r1_ohm: Floats
    r2_ohm: Floats
    joint_ohm: Floats  # of the joint read with the cell; does not follow temperature
    leak_a: Floats  # self-discharge, and electronics that feed on that cell
    bias_v: Floats  # error of its reading
    ambient_offset_c: Floats  # how much warmer its place is
    ocv_v: Floats  # [1002] rest voltage every 0.1 %, the last twice
    hysteresis_v: float
    tau1_s: float
    tau2_s: float
    arrhenius_k: float  # activation energy / gas constant
    heat_j_k: Floats  # [packs] of one cell
    loss_w_k: Floats  # [packs]
    neighbour_w_k: Floats  # [packs]
    efficiency: float


# rows of a pack's table of limits, [4, protections]; infinite, on the side never reached, where
# there is no such limit
TRIP, RELEASE, DELAY, ALARM = 0, 1, 2, 3
# columns of the table of chargers, [chargers, 10]; the first charger is the sun's
TARGET_V, ABSORPTION_S, FLOAT_V, TAIL_A, MOST_A, EQUALISE_V, EQUALISE_EVERY_S = range(7)
EQUALISE_S, STOP_C, RESUME_C = range(7, 10)


# columns of a charger's state, [chargers, 5]
STAGE, HELD_S, SINCE_EQUALISE_S, EQUALISING, COLD_STOPPED = range(5)
# what is summed over a run
NOT_TAKEN_WH, BALANCING_S, ABOVE_START_S, NOT_SERVED_WH, DARK_S, INTO_WH, HEAT_WH = range(7)
# what flows on the bus, A
SUN_A, GIVEN_A, LOAD_A = range(3)


class Bms(NamedTuple):
    """Balancers [packs] and meters, as the setup has them."""

    power_off_v: Floats
    balancer_kind: Ints
    balance_a: Floats
    balance_start_v: Floats
    balance_delta_v: Floats
    balance_when: Ints
    balance_at_once: Ints
    balance_in_over: Flags  # bleeds on while over-voltage has cut the charge
    balance_sleep_s: Floats  # without current, until it sleeps
    active_efficiency: float
    rest_a: float  # below this the BMS reads 0.0 A
    full_v: Floats
    empty_v: Floats
    noise_v: float
    step_v: float
    step_a: float
    offset_a: float
    switch_k_a2: Floats  # how much its switches warm, K/A2
    switch_tau_s: float


class Wires(NamedTuple):
    """What is between chargers, loads and packs."""

    lead_ohm: Floats  # [packs] of each pack's leads to the bus
    inverter_efficiency: float  # for loads
    surge_s: float  # how long a motor takes to start
    follow_s: float  # how late chargers follow the loads
    flicker: float  # of the loads from step to step, share


class Link(NamedTuple):
    """What the packs ask of the inverter, and what it does when it hears nothing."""

    closed: bool
    up: bool
    timeout_s: float
    stops: bool  # else it goes on with its own voltages
    ask_charge_a: Floats  # [packs]
    ask_discharge_a: Floats  # [packs]
    own_charge_a: float  # the inverter's own limits
    own_discharge_a: float


class State(NamedTuple):
    """What changes; [packs, cells] unless said otherwise."""

    charge_ah: Floats
    slow1_v: Floats
    slow2_v: Floats
    hysteresis: Floats  # -1 .. 1
    temp_c: Floats
    moved_ah: Floats  # by the balancer, since the start
    balancing: Flags
    pending_s: Floats  # [packs, protections]
    active_s: Floats  # [packs, protections], -1 when not active
    alarmed: Flags  # [packs, protections]
    counted_pct: Floats  # [packs]
    idle_s: Floats  # [packs] since a current was read
    switch_k: Floats  # [packs], how much warmer than the pack its switches are
    # [packs, 2] of the full charge and discharge current, what a closed-loop BMS asks for
    asked_share: Floats
    off: Flags  # [packs], powered off by itself
    offline: Flags  # [packs], taken from the bus by somebody
    stages: Floats  # [chargers, 5], see the constants
    lost_s: Floats  # [1] seconds without a link
    seen_w: Floats  # [1] the load as the chargers follow it
    heat_j: Floats  # not yet in the temperature
    through_ah: Floats  # [packs, 2] charged and discharged
    totals: Floats  # [7], see the constants
    rows: Ints  # [2] next log row, next event row


class Work(NamedTuple):
    """Room to work in: nothing in it lives longer than a step, a minute for the resistances."""

    per_ah: Floats  # 1 / capacity
    r0_ohm: Floats  # at the cells' own temperature, joints included
    r1_ohm: Floats
    r2_ohm: Floats
    rest_v: Floats
    rise_v_ah: Floats
    true_v: Floats
    read_v: Floats
    packs: Floats  # [11, packs] see the constants
    flags: Flags  # [5, packs] see the constants
    given_a: Floats  # [chargers]
    bus: Floats  # [3]
    watch: Floats  # [packs, protections]


STUCK, BUSY, RUNNING, CHARGE_OPEN, DISCHARGE_OPEN = range(5)
EMF, INNER, FIXED, AMPS, STRING_V, HIGH, LOW, HOT, COLD, MEAN_AH, RISE = range(11)


class Bank(NamedTuple):
    """All that stays as it is until an event changes the setup."""

    cells: Cells
    limits: Floats  # [packs, 4, protections]
    bms: Bms
    chargers: Floats  # [chargers, 10]
    wires: Wires
    link: Link
    sensor_c: Floats  # [packs, sensors] put on a sensor by hand, NaN where it reads its cell


class Span(NamedTuple):
    """Which steps are run, and the table of normal numbers they draw from."""

    first_step: int
    steps: int
    step_s: float
    noise: NDArray[np.float32]
    seed: int


class Pace(NamedTuple):
    """What the length of a step makes: how much of each slow thing is kept over it."""

    step_s: float
    hours: float
    kept1: float  # of the fast RC branch's voltage
    kept2: float  # of the slow one's
    kept_switch: float  # of the switches' warmth
    follows: float  # of a change of the load, that the chargers have noticed


class Now(NamedTuple):
    """What comes from outside in this step."""

    minute: int
    any_source: bool
    sun_w: float
    load_w: float


class Seen(NamedTuple):
    """What the BMS of a pack knows of this step."""

    high_v: float
    low_v: float
    total_v: float
    amps: float
    hot_c: float
    cold_c: float
    switch_c: float
    surge_a: float  # of a start, on top of the step's mean


class Minutes(NamedTuple):
    """What comes from outside, one value a minute, whatever the step."""

    sun_w: Floats
    load_w: Floats
    surge_w: Floats  # at the minute's first step, on top of the load: a motor that starts
    ambient_c: Floats
    other_a: Floats  # [minutes, chargers - 1] what the other chargers could give


class Record(NamedTuple):
    """What a run writes: a log row every ``every`` steps, and the events."""

    every: int
    time_step: Ints  # [rows]
    current_a: Floats  # [rows, packs]
    pack_v: Floats  # [rows, packs]
    cell_v: NDArray[np.floating]  # [rows, packs, cells]
    temp_c: NDArray[np.floating]  # [rows, packs, sensors]
    soc_pct: NDArray[np.floating]  # [rows, packs]
    balancing: Flags  # [rows, packs, cells]
    limiter: NDArray[np.int8]  # [rows]
    bus: NDArray[np.floating]  # [rows, 3] A: what the sun could give, what all chargers gave, loads
    true_pct: NDArray[np.floating]  # [rows, packs, cells]
    events: Floats  # [events, 6]: step, pack, protection, kind, cell, value
