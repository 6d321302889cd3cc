"""Seeded mutants: a comparison turned, a number moved, a condition negated; do the tests notice?

``python -m tests.bench.mutants rules 40`` mutates ``core/rules``, one place a mutant, and runs the
tests of that part on each; ``imbalance`` likewise. Prints who survived and the share that was
killed. The seed is fixed: the same mutants each time, as long as the code stays.
"""

import ast
import os
import random
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from queue import Queue

ROOT = Path(__file__).parents[2]
SEED = 20261126
PATIENCE_S = 1500  # of tests that hang: beside another mutant all of them take 600 s
PARTS = {
    "rules": (
        "rules",
        [
            "test_rules",
            "test_findings",
            "test_dangerous",
            "test_beginners",
            "test_scale",
            "test_verdicts",
        ],
    ),
    "imbalance": (
        "imbalance",
        [
            "test_causes",
            "test_imbalance",
            "test_full_cell",
            "test_compare",
            "test_snapshot",
            "test_charges",
            "test_diagnoses",
            "test_banks",
            "test_stray",
            "test_unfit",
            "test_lag",
            "test_poor_meters",
            "test_bench_cycles",
            "test_other_physics",
            "test_packs",
        ],
    ),
}
TURNED: dict[type[ast.cmpop], type[ast.cmpop]] = {
    ast.Lt: ast.GtE,
    ast.LtE: ast.Gt,
    ast.Gt: ast.LtE,
    ast.GtE: ast.Lt,
    ast.Eq: ast.NotEq,
    ast.NotEq: ast.Eq,
    ast.Is: ast.IsNot,
    ast.IsNot: ast.Is,
}
Place = tuple[Path, int, str]


def places(folder: Path) -> Iterator[Place]:
    """Every place that can be mutated: file, running number of the node, and how."""
    for file in sorted(folder.glob("*.py")):
        for number, node in enumerate(ast.walk(ast.parse(file.read_text()))):
            if isinstance(node, ast.Compare) and type(node.ops[0]) in TURNED:
                yield file, number, "turned"
            elif isinstance(node, ast.Constant) and type(node.value) is float and node.value:
                yield file, number, "moved"
            elif isinstance(node, ast.If | ast.IfExp):
                yield file, number, "negated"


def mutate(text: str, number: int) -> tuple[str, int]:
    """The text with that node changed, and its line."""
    tree = ast.parse(text)
    node = list(ast.walk(tree))[number]
    if isinstance(node, ast.Compare):
        node.ops[0] = TURNED[type(node.ops[0])]()
    elif isinstance(node, ast.Constant):
        node.value = 1.5 * float(str(node.value))
    elif isinstance(node, ast.If | ast.IfExp):
        node.test = ast.UnaryOp(ast.Not(), node.test)
    return ast.unparse(ast.fix_missing_locations(tree)), getattr(node, "lineno", 0)


def survives(source: Path, tests: list[str]) -> bool:
    """Whether the tests pass with the sources at that place."""
    command = [sys.executable, "-m", "pytest", "-x", "-q", "-p", "no:cacheprovider"]
    command += [f"tests/core/{name}.py" for name in tests]
    environment = {**os.environ, "PYTHONPATH": str(source), "QT_QPA_PLATFORM": "offscreen"}
    try:
        done = subprocess.run(
            command, cwd=ROOT, env=environment, capture_output=True, timeout=PATIENCE_S, check=False
        )
    except subprocess.TimeoutExpired:
        return False
    return done.returncode == 0


def judge(source: Path, tests: list[str], place: Place) -> bool:
    """Whether one mutant lives; told as soon as it is known."""
    file, number, how = place
    text = (source / file).read_text()
    changed, line = mutate(text, number)
    (source / file).write_text(changed)
    lives = survives(source, tests)
    (source / file).write_text(text)
    print("lives" if lives else "dead ", f"{file.name}:{line}", how, flush=True)
    return lives


def main(part: str, count: int) -> float:
    """Run the mutants of a part, one at a time on each core; the share that was killed."""
    folder, tests = PARTS[part]
    with tempfile.TemporaryDirectory(prefix="nipper-mutants-") as scratch:
        free: Queue[Path] = Queue()  # copies of the sources that no mutant is in
        for i in range(os.cpu_count() or 1):
            free.put(Path(shutil.copytree(ROOT / "src", Path(scratch) / str(i))))
        found = [
            (file.relative_to(ROOT / "src"), number, how)
            for file, number, how in places(ROOT / "src" / "nipper" / "core" / folder)
        ]
        chosen = random.Random(SEED).sample(found, min(count, len(found)))

        def one(place: Place) -> bool:
            source = free.get()
            try:
                return judge(source, tests, place)
            finally:
                free.put(source)

        with ThreadPoolExecutor(free.qsize()) as pool:
            killed = len(chosen) - sum(pool.map(one, chosen))
    print(f"{part}: {killed} of {len(chosen)} mutants killed, {killed / len(chosen):.0%}")
    return killed / len(chosen)


if __name__ == "__main__":
    main(sys.argv[1], int(sys.argv[2]))
