"""Files that hold no table this program can read, known by their first bytes: what they are, and
what to do instead.
"""

from nipper.core.errors import InputError

TYPE_IN = "read its numbers and type them in as a reading"
EXPORT = "save the table as CSV or as a spreadsheet"
UNPACK = "unpack it first"
# the first bytes of formats, from their published descriptions
KNOWN = (
    (b"%PDF-", "a PDF document", EXPORT),
    (b"\x89PNG\r\n", "a picture", TYPE_IN),
    (b"\xff\xd8\xff", "a picture", TYPE_IN),
    (b"GIF8", "a picture", TYPE_IN),
    (b"7z\xbc\xaf\x27\x1c", "an archive of another kind", UNPACK),
    (b"Rar!\x1a\x07", "an archive of another kind", UNPACK),
    (b"\xfd7zXZ\x00", "an archive of another kind", UNPACK),
    (b"BZh", "an archive of another kind", UNPACK),
    (b"\x28\xb5\x2f\xfd", "an archive of another kind", UNPACK),
    (b"RIFF", "a recording or a picture", TYPE_IN),
)
TEXT_PARTS = (b"word/document.xml", b"ppt/presentation.xml", b"opendocument.text")


def refuse_foreign(data: bytes, file: str) -> None:
    """Raise :class:`InputError` where the first bytes say that no table stands in the file."""
    if not data.strip():
        raise InputError(file, "the whole file", "a table, this file is empty")
    for mark, what, instead in KNOWN:
        if data.startswith(mark):
            raise InputError(file, "the whole file", f"a table, this is {what}: {instead}")


def refuse_document(data: bytes, file: str) -> None:
    """The same for an archive that is a document of text, by the names in it."""
    if any(part in data for part in TEXT_PARTS):
        raise InputError(file, "the whole file", f"a table, this is a text document: {EXPORT}")
