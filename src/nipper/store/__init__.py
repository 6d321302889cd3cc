"""The bench file: the only place with SQL. Every write is one transaction."""

from nipper.store.bench import Bench, Pack
from nipper.store.file import copy_read_only
from nipper.store.history import BenchEvent, Revision
from nipper.store.logs import ImportedLog
from nipper.store.place import GoneError, ReadOnlyError
from nipper.store.schema import APPLICATION_ID

__all__ = [
    "APPLICATION_ID",
    "Bench",
    "BenchEvent",
    "GoneError",
    "ImportedLog",
    "Pack",
    "ReadOnlyError",
    "Revision",
    "copy_read_only",
]
