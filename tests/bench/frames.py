"""Random frames at every CAN profile, and random registers at every map, decoded:
``python -m tests.bench.frames [HOW MANY] [SEED]``. Nothing may raise, and no value may be taken
that cannot be meant.

Half of the frames have an identifier and a length that the profile knows; a quarter of the bytes
are all ones or zeros, as devices send them that know nothing.
"""

import math
import sys
from random import Random

from nipper.core.link import points
from nipper.core.link.codec import Frame, decode
from nipper.core.link.profile import BUNDLED, Profile, bundled
from nipper.core.link.quantities import BY_NAME

EVERY = 100_000


def frame(chance: Random, profile: Profile) -> Frame:
    """A frame of anything, or of what the profile knows."""
    length = chance.randrange(9)
    identifier, extended = chance.getrandbits(29), True
    if chance.random() < 0.5:
        (identifier, extended), message = chance.choice(list(profile.by_id.items()))
        length = message.length if chance.random() < 0.8 else length
    data = chance.randbytes(length)
    if chance.random() < 0.25:
        data = chance.choice((b"\xff", b"\x00", b"\x80")) * length
    return Frame(identifier, data, extended)


def wrong(values: dict[str, float]) -> list[str]:
    """Values that cannot be meant."""
    return [
        f"{name} {value}"
        for name, value in values.items()
        if not math.isfinite(value) or not BY_NAME[name].least <= value <= BY_NAME[name].most
    ]


def frames(count: int, seed: int) -> int:
    """Decode so many frames; how many carried a value."""
    chance, profiles, told = Random(seed), [bundled(name) for name in BUNDLED], 0
    for i in range(count):
        profile = profiles[i % len(profiles)]
        one = frame(chance, profile)
        found = decode(profile, one)
        told += bool(found.values)
        bad = wrong(dict(found.values))
        assert not bad, (profile.file.name, one, bad)
        if i % EVERY == EVERY - 1:
            print(f"{i + 1:,} frames, {told:,} with a value", flush=True)
    return told


def registers(count: int, seed: int) -> None:
    """Tell so many maps of random registers."""
    chance = Random(seed)
    maps = [points.load_registers(name) for name in points.BUNDLED]
    shapes = [points.write(m, {}, [3.3] * 16) for m in maps]
    for i in range(count):
        profile, shape = maps[i % len(maps)], shapes[i % len(maps)]
        spoilt = {a: chance.getrandbits(16) if chance.random() < 0.5 else w
                  for a, w in shape.items()}  # fmt: skip
        told = points.tell(profile, spoilt)
        bad = wrong(dict(told.values))
        assert not bad, (profile.name, bad)
        assert all(math.isnan(v) or 0.05 <= v <= 6.0 for v in told.cells), profile.name


def main(count: int, seed: int) -> None:
    """Frames, and a hundredth as many maps of registers."""
    told = frames(count, seed)
    registers(max(1, count // 100), seed)
    print(f"{count:,} frames, {told:,} with a value; {count // 100:,} maps: nothing wrong accepted")


if __name__ == "__main__":
    given = [int(a) for a in sys.argv[1:]]
    main(given[0] if given else 10_000_000, given[1] if len(given) > 1 else 1)
