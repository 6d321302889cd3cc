"""What the open bench says: the sentence of each stage on the rail, and What follows of the stage that is shown."""

from datetime import datetime, tzinfo

from PySide6.QtCore import QObject, Slot

from nipper.app.document import Document, PackRecord
from nipper.app.forecasts import Forecasts
from nipper.app.shell.follows import Follows
from nipper.app.shell.rail import Rail
from nipper.core.findings import Finding
from nipper.core.report.consequence import Consequence, of_finding, protect_sentence

# reports are imported where they are used: their numerics take most of a second to load, and the first paint must not wait for them


class Teller(QObject):
    """Listens to one document and its forecasts; ``stage`` is the one that is shown."""

    def __init__(
        self,
        document: Document,
        forecasts: Forecasts,
        rail: Rail,
        follows: Follows,
        zone: tzinfo,
        parent: QObject | None = None,
    ) -> None:
        super().__init__(parent)
        self._document, self._forecasts, self._rail, self._follows, self._zone = (
            document,
            forecasts,
            rail,
            follows,
            zone,
        )
        self.stage = ""
        document.findings_changed.connect(self._findings_changed)
        document.record_changed.connect(self._record_changed)
        document.pack_changed.connect(self._pack_changed)
        document.events_changed.connect(self._cold_changed)
        forecasts.day_drawn.connect(self._charge_changed)
        for signal in (forecasts.rehearsed, forecasts.levelled, forecasts.compared):
            signal.connect(self._forecast_changed)

    @Slot(object)
    def _findings_changed(self, findings: list[Finding]) -> None:
        status, sentence = protect_sentence(findings)
        self._rail.say("protect", str(status), sentence)
        self._cold_changed()
        self._charge_changed()
        self._tell_if("protect", "level")

    @Slot()
    def _cold_changed(self) -> None:
        """Settings or proofs of the cold have changed."""
        from nipper.core.report.cold import cold_sentence, last_proof

        document = self._document
        events = [(e.time_s, e.pack, e.kind, e.note) for e in document.events()]
        status, sentence = cold_sentence(
            document.setup, last_proof(events, document.pack.id), datetime.now(self._zone)
        )
        self._rail.say("cold", str(status), sentence)
        self._tell_if("cold")

    @Slot()
    def _charge_changed(self) -> None:
        """Settings have changed or a day was drawn."""
        from nipper.core.report.charge import charge_sentence

        status, sentence = charge_sentence(self._document.setup, self._forecasts.day)
        self._rail.say("charge", str(status), sentence)
        self._tell_if("charge")

    @Slot()
    def _forecast_changed(self) -> None:
        from nipper.core.report.forecasts import rehearse_sentence

        status, sentence = rehearse_sentence(self._forecasts.rehearsal)
        self._rail.say("rehearse", str(status), sentence)
        self._tell_if("level", "rehearse", "diagnose")

    @Slot(int, object)
    def _record_changed(self, pack_id: int, _: PackRecord | None) -> None:
        if pack_id == self._document.pack.id:
            self._tell_record()

    @Slot(int)
    def _pack_changed(self, _: int) -> None:
        self._tell_record()
        self._cold_changed()

    def _tell_record(self) -> None:
        from nipper.core.forecast.levelling import from_log
        from nipper.core.report.forecasts import level_sentence, rehearse_sentence
        from nipper.core.report.sentences import diagnose_sentence, record_sentence

        document, forecasts = self._document, self._forecasts
        record = document.record
        if record is None and document.reading_log:
            return
        log, diagnosis = (record.log, record.diagnosis) if record else (None, None)
        for stage, (status, sentence) in (
            ("record", record_sentence(log, document.setup, diagnosis)),
            ("diagnose", diagnose_sentence(diagnosis)),
            (
                "level",
                level_sentence(
                    document.setup,
                    from_log(document.setup, forecasts.known.get(forecasts.pack_number)),
                ),
            ),
            ("rehearse", rehearse_sentence(forecasts.rehearsal)),
        ):
            self._rail.say(stage, str(status), sentence)
        self.tell()

    def _tell_if(self, *stages: str) -> None:
        if self.stage in stages:
            self.tell()

    def tell(self) -> None:
        """Show what follows of the stage that is shown."""
        if self.stage:
            self._follows.show_all(self._consequences())

    def _consequences(self) -> list[Consequence]:
        document, forecasts = self._document, self._forecasts
        if self.stage == "protect":
            return [of_finding(f) for f in document.findings]
        if self.stage == "charge":
            from nipper.core.report.charge import of_charge

            return of_charge(document.setup, document.findings, forecasts.day, forecasts.budget)
        if self.stage in ("level", "rehearse"):
            from nipper.core.report.forecasts import of_levelling, of_rehearsal

            if self.stage == "level":
                return of_levelling(document.setup, forecasts.levelling, document.findings)
            return of_rehearsal(forecasts.rehearsal) if forecasts.rehearsal else []
        record = document.record
        if self.stage == "cold":
            from nipper.core.report.cold import of_cold

            return of_cold(document.setup, document.findings, record.diagnosis if record else None)
        return self._of_record(record) if record else []

    def _of_record(self, record: PackRecord) -> list[Consequence]:
        from nipper.core.report.sentences import (
            of_compared,
            of_diagnosis,
            of_history,
            of_overruled,
            of_record,
            of_trip,
        )

        document, comparison, zone = self._document, self._forecasts.comparison, self._zone
        if self.stage == "record":
            return of_record(record.log, document.setup, record.diagnosis, zone)
        told = of_diagnosis(record.diagnosis) + of_trip(record.diagnosis, document.setup, zone)
        if comparison is not None:
            told += of_compared(comparison, record.pack.id, [p.name for p in document.packs], zone)
        return (
            told
            + of_overruled(record.diagnosis)
            + of_history(document.bench.history.diagnoses(record.pack.id), zone)
        )
