"""What is known of the open bench, gathered for its upkeep."""

from datetime import tzinfo
from typing import TYPE_CHECKING
from weakref import WeakKeyDictionary

from nipper.app.document import Document
from nipper.app.document.history import READ_BACK, TYPED
from nipper.core.findings import Severity
from nipper.core.report.keep import SURE, Dates, Kept, facts, measured
from nipper.core.upkeep import trips
from nipper.core.upkeep.due import Due, Facts, due
from nipper.core.upkeep.story import KIND_OF  # proofs and tests: all else was done to a pack

if TYPE_CHECKING:
    from nipper.core.upkeep.followup import Case
    from nipper.core.upkeep.story import Entry


def dues(document: Document, zone: tzinfo) -> list[Due]:
    """Everything that is or will be due."""
    found = facts(document.bank, document.bench.clock(), _dates(document), _logs(document, zone))
    return due(document.bank, found)


# what the logs said last, with what it was said of: asked at every change of a limit, and the same
# until a log, a balancer or a charger is another
_SAID: "WeakKeyDictionary[Document, tuple[tuple[object, ...], Facts]]" = WeakKeyDictionary()


def _logs(document: Document, zone: tzinfo) -> Facts:
    found = kept(document)
    of = (
        zone, *(document.records.by_pack.get(pack.id) for pack in document.records.packs),
        *((k.setup.leveller, k.setup.charging, k.setup.capacity_ah, k.name) for k in found),
    )  # fmt: skip
    said = _SAID.get(document)
    if said is None or said[0] != of:
        said = _SAID[document] = of, measured(zone, found)
    return said[1]


def kept(document: Document) -> list[Kept]:
    """The packs that have a log, with what it says."""
    out: list[Kept] = []
    for pack in document.records.packs:
        record = document.records.by_pack.get(pack.id)
        if record is not None:
            out.append(Kept(document.setup_of(pack), pack.name, record.log, record.diagnosis))
    return out


def _dates(document: Document) -> Dates:
    history, packs = document.history, document.records.packs
    cold_s, is_of_cutoff = _cold(document)
    typed_s, read_back_s = _typed_and_read(document)
    tests = [at for pack in packs for at, _ in history.capacity_tests(pack.id)]
    counters = [e.time_s for e in history.events() if e.kind == trips.KIND]
    loss = history.last_loss()
    torques = document.shelf.build_notes().torques.values()
    return Dates(
        cold_s=cold_s,
        cold_is_of_cutoff=is_of_cutoff,
        torques_s=tuple(t.at_s for t in torques),
        capacity_s=max(tests, default=None),
        typed_s=typed_s,
        read_back_s=read_back_s,
        loss_proven=loss is not None and loss[1].proves(document.bank),
        trips_s=max(counters, default=None),
        charger_to_set_back=_to_set_back(document),
        errors=sum(f.severity is Severity.ERROR for f in document.judgement.findings),
    )


def _typed_and_read(document: Document) -> tuple[float | None, float | None]:
    """When settings were last typed in and read back: of the pack that was never read since."""
    history, found = document.history, (None, None)
    for pack in document.records.packs[: document.bank.packs_in_parallel]:
        typed_s = max(history.times(TYPED, pack.id), default=None)
        read_s = max(history.times(READ_BACK, pack.id), default=None)
        if typed_s is not None and (read_s is None or read_s < typed_s):
            return typed_s, read_s
        found = (typed_s, read_s) if typed_s is not None else found
    return found


def _cold(document: Document) -> tuple[float | None, bool]:
    """The oldest of the packs' newest proofs, and whether each is of the cutoff as it is set."""
    oldest, of_cutoff = None, True
    for pack in document.records.packs[: document.bank.packs_in_parallel]:
        found, cutoff = document.history.last_proof(pack.id), document.setup_of(pack).charge_cutoff
        if found is None:
            return None, True
        at, proof = found
        oldest = at if oldest is None else min(oldest, at)
        of_cutoff = of_cutoff and cutoff is not None and proof.is_of(cutoff)
    return oldest, of_cutoff


def _to_set_back(document: Document) -> bool:
    from nipper.core.report.topbalance import reminder

    session = document.shelf.top_balance()
    return session is not None and reminder(session, document.setup) is not None


def cases(document: Document) -> "list[Case]":
    """What was ever found in the shown pack's log, and whether what was done helped."""
    from nipper.core.upkeep.followup import cases as followed

    record, pack = document.record, document.pack
    if record is None:
        return []
    times = record.log.time_s
    present = [
        (c.cause, c.cells) for c in record.diagnosis.findings
        if c.confidence > SURE and not c.mended
    ]  # fmt: skip
    done = [
        (e.time_s, e.note) for e in document.history.events()
        if e.kind not in KIND_OF and e.pack in (None, pack.id) and e.time_s >= float(times[0])
    ]  # fmt: skip
    full_s = [float(times[c.stop - 1]) for c in record.diagnosis.estimate.full]
    judged = record.diagnosis.verdict != "not_enough_data"
    known = document.history.diagnoses(pack.id)
    return followed(known, done, present, full_s, float(times[-1]), judged)


def told(document: Document) -> "list[Entry]":
    """The bench's story, newest first."""
    from nipper.core.upkeep import story

    names = {pack.id: pack.name for pack in document.records.packs}
    history = document.history
    found = [story.diagnoses(names[i], history.diagnoses(i)) for i in names]
    return story.story(
        story.events(
            [(e.time_s, names.get(e.pack or 0, ""), e.kind, e.note) for e in history.events()]
        ),
        story.revisions(
            [(r.time_s, names.get(r.pack or 0, ""), r.kind, r.note) for r in history.revisions()]
        ),
        story.logs(
            [(names.get(log.pack, ""), log.file, log.imported_s, log.rows, log.first_s, log.last_s)
             for log in document.bench.logs.all()]
        ),
        *found,
    )  # fmt: skip
