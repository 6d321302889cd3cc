"""The bench file: the only place with SQL. Every write is one transaction."""

from nipper.store.bench import Bench, BenchEvent, ImportedLog, Pack, Revision

__all__ = ["Bench", "BenchEvent", "ImportedLog", "Pack", "Revision"]
