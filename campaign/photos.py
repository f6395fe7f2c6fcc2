"""Mutated photos: each gives a photo or a sentence, soon, and within bounds of memory."""

import random
import tempfile
import time
from pathlib import Path

from campaign.made import photo_files
from peel.errors import PeelError
from peel.files.photo import decode_photo, read_bytes, read_opacity, read_preview

__all__ = ["mutated", "run"]

MUTATIONS = 20_000


def mutated(content: bytes, rng: random.Random, *, shifts: bool = True) -> bytes:
    """Change some bytes; with `shifts` also drop, repeat or cut some."""
    out = bytearray(content)
    for _ in range(rng.randrange(1, 6)):
        at, length = rng.randrange(len(out) or 1), rng.randrange(1, 40)
        kind = rng.randrange(5) if shifts else rng.choice([0, 3, 4])
        if kind == 0:
            out[at : at + length] = rng.randbytes(length)
        elif kind == 1:
            del out[at : at + length]
        elif kind == 2:
            out[at:at] = out[at : at + length]
        elif kind == 3 and out:
            out[at] ^= 1 << rng.randrange(8)
        else:
            out[at : at + 4] = rng.choice([b"\xff" * 4, b"\0" * 4, b"\x7f\xff\xff\xff", b"\x00\x00\x00\x01"])
        if shifts and rng.random() < 0.05:
            out = out[:at]
    return bytes(out)


def run(seed: int) -> list[str]:
    """Decode them all; give the figures."""
    rng, files = random.Random(seed), photo_files()
    names = sorted(files)
    good = refused = 0
    odd: list[str] = []
    slowest = 0.0
    for number in range(MUTATIONS):
        name = names[number % len(names)]
        content = mutated(files[name], rng)
        since = time.monotonic()
        try:
            decode_photo(content, name)
            good += 1
        except PeelError:
            refused += 1
        except BaseException as error:  # noqa: BLE001 - that is what is looked for
            odd.append(f"{name} {number}: {error!r}")
        for look in (lambda c, n: read_preview(c, n, 500), read_opacity):
            try:
                look(content, name)
            except BaseException as error:  # noqa: BLE001 - the same
                odd.append(f"{name} {number}: {error!r}")
        slowest = max(slowest, time.monotonic() - since)
    odd += _devices()
    lines = [f"BROKEN {line}" for line in odd[:20]]
    lines.append(f"{MUTATIONS} mutated photos: {good} decoded, {refused} refused in a sentence, {len(odd)} otherwise")
    lines.append(f"{'BROKEN ' if slowest > 10 else ''}the slowest took {slowest:.2f} s")
    return lines


def _devices() -> list[str]:
    """Read what is no file; every one must be refused in a sentence."""
    odd = []
    with tempfile.TemporaryDirectory() as folder:
        for path in (
            Path("/dev/zero"),
            Path("/dev/stdin"),
            Path(folder),
            Path(folder) / "a\0b",
            Path("/proc/self/mem"),
        ):
            try:
                read_bytes(path)
                odd.append(f"{path} was read")
            except PeelError:
                continue
            except BaseException as error:  # noqa: BLE001 - the same
                odd.append(f"{path}: {error!r}")
    return odd
