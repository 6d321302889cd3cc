"""The headless contract: parse, call the core, print one JSON document. No arithmetic here.

Exit status 0: the command ran, whatever it found. 2: unusable input, one line on standard error.
"""

import argparse
import json
import sys
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, cast

from nipper import __version__
from nipper.core.errors import InputError, NipperError, RangeError
from nipper.core.setup import Setup, load, pack_names, pack_number, pack_setup, pack_setups, unlike

if TYPE_CHECKING:
    from nipper.core.imbalance.snapshot import Snapshot
    from nipper.core.logs.looked import Looked
    from nipper.core.logs.propose import Options
    from nipper.core.logs.reader import ReadLog

COMMANDS = ("check", "diagnose", "compare", "trial", "link", "schema")


class _Parser(argparse.ArgumentParser):
    """Argument errors in one line, like every other unusable input."""

    def error(self, message: str) -> None:  # type: ignore[override]
        sys.stderr.write(f"{self.prog}: {message}\n")
        raise SystemExit(2)


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(
        prog="nipper", description="Bench companion of a lithium battery pack builder."
    )
    parser.add_argument("--version", action="version", version=f"nipper {__version__}")
    commands = parser.add_subparsers(dest="command", required=True, parser_class=_Parser)
    check = commands.add_parser("check", help="judge the settings")
    check.add_argument("setup", metavar="SETUP.json")
    check.add_argument("--json", action="store_true", help="print one JSON document")
    check.set_defaults(run=_check)
    diagnose = commands.add_parser(
        "diagnose", help="name the cause of an imbalance, and what to do"
    )
    diagnose.add_argument("logs", nargs="+", metavar="LOG.csv")
    diagnose.add_argument("--setup", required=True, metavar="SETUP.json")
    diagnose.add_argument(
        "--looked",
        metavar="LOOKED.json",
        help="cells measured by a meter, and sensors that lie elsewhere (docs/diagnosis.md)",
    )
    _add_reading(diagnose)
    diagnose.add_argument("--json", action="store_true", help="print one JSON document")
    diagnose.set_defaults(run=_diagnose)
    compare = commands.add_parser(
        "compare", help="before and after, the swap test, and how packs in parallel share"
    )
    compare.add_argument("logs", nargs="+", metavar="LOG.csv", help="one log a pack")
    compare.add_argument("--setup", required=True, metavar="SETUP.json")
    compare.add_argument(
        "--at",
        metavar="TIME",
        help="when it was done, ISO 8601 with an offset; without it only the shares are compared",
    )
    compare.add_argument(
        "--swap",
        action="store_true",
        help="something was exchanged between the two packs at that time",
    )
    _add_reading(compare)
    compare.add_argument("--json", action="store_true", help="print one JSON document")
    compare.set_defaults(run=_compare)
    trial = commands.add_parser("trial", help="run the settings on a simulated pack")
    trial.add_argument("setup", metavar="SETUP.json")
    trial.add_argument("--scenario", metavar="SCENARIO.json")
    trial.add_argument("--log", metavar="OUT.csv", help="write one pack's log")
    trial.add_argument("--pack", metavar="NAME", help="whose log is written; else the first")
    trial.add_argument("--json", action="store_true", help="print one JSON document")
    trial.set_defaults(run=_trial)
    link = commands.add_parser(
        "link", help="the inverter link: current chain, cable, switches, fallback, first frames"
    )
    link.add_argument("setup", nargs="?", metavar="SETUP.json")
    link.add_argument("--decode", metavar="CAPTURE", help="decode a candump text instead")
    link.add_argument("--profile", metavar="PROFILE", help="one that ships, or a file")
    link.add_argument("--json", action="store_true", help="print one JSON document")
    link.set_defaults(run=_link)
    schema = commands.add_parser("schema", help="print the JSON Schema of the setup file")
    schema.set_defaults(run=_schema)
    return parser


def _add_reading(parser: argparse.ArgumentParser) -> None:
    """What a table cannot settle by itself."""
    add = parser.add_argument
    add("--zone", help="time zone of times that carry no offset, e.g. Europe/Vienna")
    order = parser.add_mutually_exclusive_group()
    order.add_argument("--day-first", action="store_true", help="03/04 is the third of April")
    order.add_argument("--month-first", action="store_true", help="03/04 is the fourth of March")
    sign = parser.add_mutually_exclusive_group()
    sign.add_argument("--discharge-positive", action="store_true", help="of the current")
    sign.add_argument("--charging-positive", action="store_true", help="of the current")
    add("--pack", metavar="NAME", help="which of several packs: of the table, and of the setup")
    add("--table", metavar="NAME", help="which sheet, member of an archive or table of a database")
    add("--map", metavar="MAP.json", help="which column is what (docs/logs.md)")


def main(argv: Sequence[str]) -> int:
    """Run one headless command."""
    arguments = _parser().parse_args(argv)
    try:
        document, lines = arguments.run(arguments)
    except NipperError as error:
        sys.stderr.write(" ".join(str(error).split()) + "\n")
        return 2
    as_json = getattr(arguments, "json", True)
    try:
        print(
            json.dumps(document, indent=2, ensure_ascii=False, allow_nan=False)
            if as_json
            else "\n".join(lines)
        )
        sys.stdout.flush()
    except BrokenPipeError:  # the reader (head, less) has seen enough
        sys.stderr.close()
    return 0


Answer = tuple[object, list[str]]


def _check(arguments: argparse.Namespace) -> Answer:
    from nipper.core import rules
    from nipper.core.report.check import document

    setup = load(arguments.setup)
    findings = rules.check(setup)
    lines = [f"{f.severity}: {f.message}" for f in findings] + [
        f"verdict: {rules.verdict(findings)}"
    ]
    return document(setup, findings), lines


def _diagnose(arguments: argparse.Namespace) -> Answer:
    # imported here: tables and numerics take most of a second, and `check` needs neither
    from nipper.core.imbalance.diagnosis import diagnose, to_json
    from nipper.core.imbalance.snapshot import FEW_ROWS, snapshot
    from nipper.core.logs.model import join

    setup = _of_pack(load(arguments.setup), arguments.pack)
    read = _read_logs(arguments, setup)
    log = join([r.log for r in read])
    found = diagnose(log, setup, looked=_looked(arguments.looked, setup))
    lines = [f"danger: {' '.join((d.summary, *d.actions))}" for d in found.dangers]
    lines += [f"{f.confidence:.0%} {f.summary}" for f in found.findings if f.confidence > 0.5]
    lines += [f"perhaps: {found.perhaps.summary}"] if found.perhaps else []
    lines += [f"next: {a}" for a in found.advice] + [f"verdict: {found.verdict}"]
    lines += [f"doubt: {d}" for r in read for d in r.reading.doubts]
    readings = [r.reading.to_json() for r in read]
    document = to_json(found, log, setup) | {"reading": readings[0]}
    shot = snapshot(log, setup) if log.rows <= FEW_ROWS else None
    if shot is not None:
        document["snapshot"] = shot.to_json() | {"targets": _targets(shot, setup)}
        lines.insert(0, f"{shot.deviation_mv:.0f} mV. {shot.tells}")
    return document | ({"readings": readings} if len(readings) > 1 else {}), lines


def _looked(file: str | None, setup: Setup) -> "Looked":
    """What was measured; a measurement that clears no cell is refused with its reason."""
    from nipper.core.documents import load as load_document
    from nipper.core.imbalance.danger.measured import checked
    from nipper.core.logs.looked import NOTHING, LookedFile

    if file is None:
        return NOTHING
    found = load_document(LookedFile, file)
    for i, one in enumerate(found.cells):
        try:
            checked(one, setup)
        except RangeError as error:
            expected = f"a measurement that disproves the BMS ({error})"
            raise InputError(file, f"cells.{i}", expected) from None
    return found.looked


def _targets(shot: "Snapshot", setup: Setup) -> list[dict[str, object]]:
    from nipper.core.forecast.reading import targets

    return [
        {
            "cell_target_v": t.cell_target_v,
            "highest_v": round(t.highest_v, 3),
            "highest_cell": t.cell,
            "trips": t.trips,
        }
        for t in targets(shot, setup)
    ]


def _read_logs(arguments: argparse.Namespace, setup: Setup) -> "list[ReadLog]":
    from nipper.core.logs.averages import held_together
    from nipper.core.logs.reader import read_file

    options = _options(arguments, setup)
    found: list[ReadLog] = []
    for file in arguments.logs:
        read = read_file(file, options)
        if read.log.cells != setup.cells:
            expected = f"{setup.cells} cells as in the setup, found {read.log.cells}"
            raise InputError(file, "the header", expected)
        found.append(read)
        logs = held_together([each.log for each in found])
        found = [replace(each, log=log) for each, log in zip(found, logs, strict=True)]
    return found


def _of_pack(setup: Setup, name: str | None) -> Setup:
    """The settings of the pack that is named; of unlike packs one must be."""
    if not setup.packs:
        return setup
    names = pack_names(setup)
    if name is None:
        if not unlike(setup):
            return pack_setup(setup, 0)
        expected = f"the pack the log is of, they differ: one of {', '.join(names)}"
        raise InputError("--pack", "the arguments", expected)
    return pack_setup(setup, pack_number(setup, name))


def _of_logs(setup: Setup, arguments: argparse.Namespace) -> list[Setup]:
    """The settings each log is judged by: of unlike packs their own, in the order of the packs,
    where there is a log of each.
    """
    count = len(arguments.logs)
    if arguments.pack is None and unlike(setup) and count == setup.packs_in_parallel:
        return list(pack_setups(setup))
    return [_of_pack(setup, arguments.pack)] * count


def _options(arguments: argparse.Namespace, setup: Setup) -> "Options":
    from nipper.core.logs.mapping import load_mapping
    from nipper.core.logs.propose import Options

    if arguments.zone is not None:
        _known_zone(arguments.zone)
    return Options(
        zone=arguments.zone,
        day_first=_either(arguments.day_first, arguments.month_first),
        discharge_positive=_either(arguments.discharge_positive, arguments.charging_positive),
        pack=arguments.pack,
        part=arguments.table,
        mapping=load_mapping(arguments.map) if arguments.map else None,
        cells=setup.cells,
        capacity_ah=setup.capacity_ah,
    )


def _either(yes: bool, no: bool) -> bool | None:
    """Of two flags that exclude each other, what was said; None when neither was."""
    return yes if yes or no else None


def _compare(arguments: argparse.Namespace) -> Answer:
    from nipper.core.imbalance.compare import Happening, Recorded, compare_all, to_json
    from nipper.core.imbalance.diagnosis import diagnose

    setup = load(arguments.setup)
    if arguments.swap and (arguments.at is None or len(arguments.logs) != 2):
        raise InputError("--swap", "the arguments", "two logs and --at TIME")
    logs = [r.log for r in _read_logs(arguments, setup)]
    setups = _of_logs(setup, arguments)
    happenings = (
        [
            Happening(
                _moment(arguments.at), None, "swap" if arguments.swap else "note", "at that time"
            )
        ]
        if arguments.at
        else []
    )
    packs: dict[int, Recorded] = {}
    for i, (log, own) in enumerate(zip(logs, setups, strict=True), 1):
        judged = diagnose(log, own)
        if judged.unfit:
            raise NipperError(f"{arguments.logs[i - 1]}: {judged.advice[0]}")
        packs[i] = Recorded(log, judged.estimate, own)
    document = to_json(compare_all(packs, happenings, setup))
    return document, [json.dumps(document, ensure_ascii=False)]


def _moment(text: str) -> float:
    from datetime import datetime

    try:
        moment = datetime.fromisoformat(text)
    except ValueError:
        raise InputError("--at", text, "a time such as 2026-06-01T12:00:00+00:00") from None
    if moment.tzinfo is None:
        raise InputError("--at", text, "a time with its offset, such as 2026-06-01T12:00:00+00:00")
    return moment.timestamp()


def _known_zone(name: str) -> None:
    from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

    try:
        ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError):
        raise InputError("--zone", name, "the name of a time zone such as Europe/Vienna") from None


def _trial(arguments: argparse.Namespace) -> Answer:
    from nipper.core.logs.writer import write_plain
    from nipper.core.simulate import scenario, trial
    from nipper.core.simulate.report import to_json

    setup = load(arguments.setup)
    plan = scenario.load(arguments.scenario) if arguments.scenario else scenario.Scenario(days=7)
    result = trial.run(setup, plan)
    if arguments.log:
        number = pack_number(setup, arguments.pack) if arguments.pack else 0
        write_plain(result.logs[number], Path(arguments.log))
    document = to_json(result, setup, plan)
    return document, [f"{k}: {v}" for k, v in document.items() if not isinstance(v, list | dict)]


def _link(arguments: argparse.Namespace) -> Answer:
    if arguments.decode is not None:
        return _decode(arguments)
    if arguments.setup is None:
        raise InputError("nipper link", "the arguments", "SETUP.json, or --decode CAPTURE")
    from nipper.core.link.answer import to_json
    from nipper.core.link.decoding import known_profile
    from nipper.core.setup import put

    setup = load(arguments.setup)
    if arguments.profile is not None:
        known_profile(arguments.profile)
        setup = put(setup, {"link.profile": arguments.profile})
    document = to_json(setup)
    return document, [f"{k}: {json.dumps(v, ensure_ascii=False)}" for k, v in document.items()]


def _decode(arguments: argparse.Namespace) -> Answer:
    from nipper.core.link.decoding import decode_capture

    document = decode_capture(Path(arguments.decode), arguments.profile)
    values = cast("dict[str, float]", document["values"])
    doubts = cast("list[str]", document["doubts"])
    return document, [
        *(f"{name}: {value:g}" for name, value in values.items()),
        *(f"doubt: {d}" for d in doubts),
    ]


def _schema(_: argparse.Namespace) -> Answer:
    from nipper.core.setup import json_schema

    return json_schema(), []
