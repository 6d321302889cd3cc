"""A bench whose power fails at a random moment: ``python -m tests.bench.powerloss [CUTS] [SEED]``.

What a killed process has written is still there (``tests.bench.kills``); of a machine whose power
fails only what was synced is. A writer's system calls are recorded (Debian package ``strace``), and
its files made again as a disk may hold them at a random moment: what was synced before it, and of
the rest each block of 4 kB or not, and names as far as a journal of the file system came. Then the
bench is opened: every event that was confirmed before must be there, nothing may be half.
"""

import os
import random
import re
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

from nipper.core.errors import InputError
from nipper.store import Bench
from tests.bench.kills import ROOT, SETUP, look

SEED, CUTS_A_WRITER, BLOCK = 20261129, 50, 4096
RUNS_S = (0.5, 4.0)
CALLS = "openat,write,pwrite64,fsync,fdatasync,ftruncate,rename,unlink,unlinkat,lseek,close"
CALL = re.compile(r"^\d+ +(\w+)\((.*)\) += (-?\d+)(?:<(.*)>)?")
HANDLE = re.compile(r"^(\d+)<([^>]*)>")
TEXT = re.compile(r'"((?:\\x[0-9a-f]{2})*)"')


@dataclass(eq=False, slots=True)
class File:
    """The blocks of a file as they are written, and those that are safe."""

    safe: bytearray = field(default_factory=bytearray)
    waiting: list[tuple[int, bytes | None]] = field(default_factory=list)  # None: cut there

    def write(self, at: int, data: bytes) -> None:
        """Not on the disk yet, block by block."""
        while data:
            room = BLOCK - at % BLOCK
            self.waiting.append((at, data[:room]))
            at, data = at + room, data[room:]

    def sync(self) -> None:
        """All of it is on the disk."""
        self.safe = self.after(self.waiting)
        self.waiting = []

    def after(self, steps: list[tuple[int, bytes | None]]) -> bytearray:
        """What is safe, and these steps."""
        out = bytearray(self.safe)
        for at, data in steps:
            if data is None:
                del out[at:]
            else:
                out.extend(bytes(max(0, at + len(data) - len(out))))
                out[at : at + len(data)] = data
        return out

    def left(self, chance: random.Random) -> bytes:
        """As a disk may hold it: each waiting step, or not."""
        return bytes(self.after([step for step in self.waiting if chance.random() < 0.5]))


@dataclass(eq=False, slots=True)
class Disk:
    """A folder: which files its names mean, as they are and as they are safe."""

    names: dict[str, File] = field(default_factory=dict)
    safe: dict[str, File] = field(default_factory=dict)
    waiting: list[dict[str, File]] = field(default_factory=list)  # names after each change
    places: dict[tuple[str, str], int] = field(default_factory=dict)
    confirmed: list[str] = field(default_factory=list)

    def changed(self) -> None:
        """A name came or went."""
        self.waiting.append(dict(self.names))

    def sync(self) -> None:
        """The names are on the disk."""
        self.safe, self.waiting = dict(self.names), []

    def left(self, folder: Path, chance: random.Random) -> None:
        """Write what a disk may hold after the power failed."""
        names = chance.choice([self.safe, *self.waiting])
        for name, file in names.items():
            (folder / name).write_bytes(file.left(chance))


def taken(folder: Path) -> Disk:
    """A folder as it lies, all of it safe."""
    files = {p.name: File(bytearray(p.read_bytes())) for p in folder.iterdir()}
    return Disk(files, dict(files))


def texts(arguments: str) -> list[bytes]:
    """The texts among the arguments of a call, as bytes."""
    return [bytes.fromhex(t.replace("\\x", "")) for t in TEXT.findall(arguments)]


def follow(disk: Disk, folder: Path, call: str, arguments: str, answer: tuple[int, str]) -> None:
    """What a call does to the folder."""
    code, opened = answer
    inside = [os.path.basename(t.decode()) for t in texts(arguments)
              if call in ("openat", "rename", "unlink", "unlinkat")
              and os.path.dirname(t.decode(errors="replace")) == str(folder)]  # fmt: skip
    handle = HANDLE.match(arguments)
    number, path = (handle[1], Path(bytes(handle[2], "latin-1").decode("unicode_escape"))) \
        if handle else ("", Path())  # fmt: skip
    if call == "openat" and inside:
        _opened(disk, inside[0], arguments, (str(code), opened))
    elif call == "rename" and len(inside) == 2:
        disk.names[inside[1]] = disk.names.pop(inside[0])
        disk.changed()
    elif call in ("unlink", "unlinkat") and inside:
        disk.names.pop(inside[0])
        disk.changed()
    elif call in ("fsync", "fdatasync") and path == folder:
        disk.sync()
    elif path.parent == folder and path.name in disk.names:
        _written(disk, disk.names[path.name], (number, path.name), call, arguments, code)
    elif call == "write" and number == "1":
        disk.confirmed += b"".join(texts(arguments)).decode().splitlines()


def _opened(disk: Disk, name: str, arguments: str, handle: tuple[str, str]) -> None:
    if name not in disk.names:
        disk.names[name] = File()
        disk.changed()
    elif "O_TRUNC" in arguments:
        disk.names[name].waiting.append((0, None))
    disk.places[handle[0], name] = 0


def _written(
    disk: Disk, file: File, handle: tuple[str, str], call: str, arguments: str, code: int
) -> None:
    if call in ("fsync", "fdatasync"):
        file.sync()
    elif call == "ftruncate":
        file.waiting.append((int(arguments.rsplit(",", 1)[1]), None))
    elif call == "lseek":
        disk.places[handle] = code
    elif call == "pwrite64":
        file.write(int(arguments.rsplit(",", 1)[1]), texts(arguments)[0][:code])
    elif call == "write":
        at = disk.places.get(handle, 0)
        file.write(at, texts(arguments)[0][:code])
        disk.places[handle] = at + code


def record(folder: Path, seed: int) -> list[str]:
    """The calls of a writer that works for a while."""
    trace = folder.with_suffix(".trace")
    command = ["strace", "-f", "-y", "-xx", "-s", "100000000", "-o", str(trace), "-e",
               f"trace={CALLS}", sys.executable, "-m", "tests.bench.kills", "write",
               str(folder / "bench.nipper"), str(seed)]  # fmt: skip
    with subprocess.Popen(command, cwd=ROOT, stdout=subprocess.PIPE, start_new_session=True) as run:
        assert run.stdout is not None
        run.stdout.readline()
        time.sleep(random.Random(seed).uniform(*RUNS_S))
        os.killpg(run.pid, signal.SIGKILL)
        run.stdout.read()
    lines = trace.read_text("latin-1").splitlines()
    trace.unlink()
    return lines


def calls(lines: list[str]) -> Iterator[tuple[str, str, tuple[int, str]]]:
    """Name, arguments and answer of each call that went well; those of threads put together."""
    begun: dict[str, str] = {}
    for line in lines:
        thread, _, rest = line.partition(" ")
        if rest.endswith(" <unfinished ...>"):
            begun[thread] = rest.removesuffix(" <unfinished ...>")
            continue
        resumed = re.match(r" *<\.\.\. \w+ resumed>(.*)", rest)
        whole = f"{thread} {begun.pop(thread, '')}{resumed[1]}" if resumed else line
        found = CALL.match(whole)
        if found and int(found[3]) >= 0:
            yield found[1], found[2], (int(found[3]), found[4] or "")


def cuts(folder: Path, seed: int) -> Iterator[tuple[Disk, list[str]]]:
    """One writer, and for each of some moments the disk and what is confirmed by then."""
    chance = random.Random(seed)
    disk = taken(folder)
    here = "".join(f"\\x{byte:02x}" for byte in str(folder).encode())
    done = [c for c in calls(record(folder, seed)) if here in c[1] or c[1].startswith("1<")]
    at = sorted(chance.randrange(len(done)) for _ in range(CUTS_A_WRITER))
    for i, call in enumerate(done):
        follow(disk, folder, *call)
        for _ in range(at.count(i)):
            yield disk, list(disk.confirmed)


def judged(disk: Disk, confirmed: list[str], chance: random.Random) -> list[str]:
    """What is wrong after the power failed now."""
    with tempfile.TemporaryDirectory(prefix="nipper-power-") as place:
        disk.left(Path(place), chance)
        try:
            return look(Path(place) / "bench.nipper", ["open", *confirmed])
        except InputError as error:
            return [str(error)]


def main(count: int, seed: int) -> int:
    """Cut so often; the number of cuts after which something was wrong."""
    if not shutil.which("strace"):
        raise SystemExit("strace is needed (Debian package strace)")
    bad = told = done = 0
    while done < count:
        with tempfile.TemporaryDirectory(prefix="nipper-power-") as place:
            folder = Path(place) / "disk"
            folder.mkdir()
            Bench.create(folder / "bench.nipper", SETUP).close()
            for disk, confirmed in cuts(folder, seed + done):
                wrong = judged(disk, confirmed, random.Random(f"{seed} {done}"))
                done, bad, told = done + 1, bad + bool(wrong), told + len(confirmed)
                for words in wrong:
                    print(f"cut {done}: {words}", flush=True)
    print(
        f"{done} cuts, {bad} with something lost or half; {told} lines were confirmed before them"
    )
    return bad


if __name__ == "__main__":
    given = [int(a) for a in sys.argv[1:]]
    main(given[0] if given else 1000, given[1] if len(given) > 1 else SEED)
