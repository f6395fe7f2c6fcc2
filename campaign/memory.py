"""How much memory opening a photo takes: 1.5 GB for 24 megapixels or less, 3 GB for the largest that Peel accepts."""

import subprocess
import sys
import tempfile
from pathlib import Path

import imagecodecs
import numpy as np
from PIL import Image

__all__ = ["run"]

_SCRIPT = """
import re, sys
from pathlib import Path
from peel.files.photo import decode_photo, read_bytes, read_opacity, read_preview
content = read_bytes(Path(sys.argv[1]))
read_preview(content, "x", 1600)
photo = decode_photo(content, "x")
del photo
read_opacity(content, "x")
print(int(re.search(r"VmHWM:\\s+(\\d+)", Path("/proc/self/status").read_text())[1]) / 1e6)
"""


def run(seed: int) -> list[str]:
    """Open large photos, each in a process of its own; give the figures."""
    del seed
    lines = []
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        for path, most in _made(folder):
            done = subprocess.run(
                [sys.executable, "-c", _SCRIPT, str(path)], capture_output=True, text=True, timeout=300, check=False
            )
            if done.returncode != 0:
                lines.append(f"BROKEN {path.name}: {done.stderr.strip()[-200:]}")
                continue
            peak = float(done.stdout)
            lines.append(f"{'BROKEN ' if peak > most else ''}{path.name}: {peak:.2f} GB at most, of {most} GB")
            path.unlink()
    return lines


def _made(folder: Path) -> list[tuple[Path, float]]:
    small, large = (4000, 6000), (10000, 15000)
    made = []
    for (height, width), most in ((small, 1.5), (large, 3.0)):
        size = f"{height * width // 1_000_000} MP"
        palette = folder / f"palette, clear, {size}.png"
        flat = Image.new("P", (width, height), 1)
        flat.putpalette([0, 0, 0, 200, 100, 50])
        flat.save(palette, transparency=0, compress_level=1)
        made.append((palette, most))
        rgba = folder / f"rgba, {size}.png"
        Image.new("RGBA", (width, height), (10, 20, 30, 128)).save(rgba, compress_level=1)
        made.append((rgba, most))
        jpeg = folder / f"rgb, {size}.jpg"
        Image.new("RGB", (width, height), (10, 20, 30)).save(jpeg)
        made.append((jpeg, most))
    sixteen = folder / "16 bit, 24 MP.png"
    sixteen.write_bytes(bytes(imagecodecs.png_encode(np.full((*small, 4), 30000, np.uint16), level=1)))
    made.append((sixteen, 1.5))
    return made
