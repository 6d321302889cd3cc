"""Small things a bench keeps under a name: ticks of the typing sheet, menus, PV modules."""

from nipper.store.file import BenchFile


class Shelf:
    """Texts under names."""

    def __init__(self, file: BenchFile) -> None:
        self._file = file

    def value(self, key: str) -> str | None:
        """What lies under a name; None when nothing does."""
        found = self._file.known("SELECT value FROM settings WHERE key = ?", (key,))
        return found[0][0] if found else None

    def keep(self, key: str, value: str) -> None:
        """Keep a text under a name."""
        with self._file.write() as db:
            db.execute("INSERT OR REPLACE INTO settings (key, value) VALUES (?, ?)", (key, value))
