"""How much memory large photos take.

Opening one: 1.5 GB for 24 megapixels or less, 3 GB for the largest that Peel accepts. Cutting one, matte and cutout
written: 1.5 GB at 24 megapixels with a band of 23 %, 2.5 GB at 60 with one of 40 %.
"""

import json
import subprocess
import sys
import tempfile
from pathlib import Path

import cv2
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
        lines += [_cut(folder, *case) for case in _CUTS]
    return lines


_CUTS = ((4000, 6000, 0.23, 1.5), (6320, 9500, 0.40, 2.5))  # height, width, share of the band, most GB


def _cut(folder: Path, height: int, width: int, share: float, most: float) -> str:
    """Cut a photo of strands before a wall with so wide a band, in a process of its own; give its peak."""
    photo, zones = folder / "strands.jpg", folder / "zones.png"
    drawn = _zones(height, width, share)
    cv2.imwrite(str(zones), drawn)
    cv2.imwrite(str(photo), _strands(drawn), [cv2.IMWRITE_JPEG_QUALITY, 90])
    command = [sys.executable, "-m", "peel", "cut", str(photo), "--zones", str(zones), "--json"]
    command += ["--matte", str(folder / "matte.png"), "--cutout", str(folder / "cutout.png")]
    done = subprocess.run(command, capture_output=True, text=True, timeout=900, check=False)
    name = f"cutting {height * width // 1_000_000} MP, {(drawn == 128).mean() * 100:.0f} % band"
    if done.returncode != 0:
        return f"BROKEN {name}: {done.stderr.strip()[-200:]}"
    report = json.loads(done.stdout)
    peak = report["peak_memory_mb"] * 1.048576 / 1000
    solve = report["seconds"]["solve"]
    return f"{'BROKEN ' if peak > most else ''}{name}: {peak:.2f} GB at most, of {most} GB; solved in {solve:.0f} s"


def _zones(height: int, width: int, share: float) -> np.ndarray:
    """Draw a ring of band around a subject in the middle, so wide that it covers a share of the photo."""
    down, across = (np.linspace(-1, 1, side, dtype=np.float32) for side in (height, width))
    away = np.hypot(down[:, None], across[None, :])
    middle, half = 0.55, share / (0.55 * np.pi)  # a ring of mean radius 0.55 covers this much of the square
    return np.where(np.abs(away - middle) < half, 128, np.where(away < middle, 255, 0)).astype(np.uint8)


def _strands(zones: np.ndarray) -> np.ndarray:
    """Draw wavy strands over the band, strip by strip; (H, W, 3) uint8."""
    rng = np.random.default_rng(7)
    out = np.empty((*zones.shape, 3), np.uint8)
    across = np.arange(zones.shape[1], dtype=np.float32)
    for top in range(0, zones.shape[0], 256):
        part = zones[top : top + 256]
        down = np.arange(top, top + len(part), dtype=np.float32)[:, None]
        alpha = np.clip(1.5 * np.sin(across * 0.3 + 9 * np.sin(down / 90)) + 0.5, 0, 1)
        alpha = np.where(part == 128, alpha, part / np.float32(255))[..., None]
        wall = np.float32([150, 140, 120]) + 12 * np.sin(down / 300 + across / 410)[..., None]
        grain = rng.normal(0, 3, (*part.shape, 3)).astype(np.float32)
        out[top : top + 256] = np.clip(alpha * np.float32([40, 70, 110]) + (1 - alpha) * wall + grain, 0, 255)
    return out


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
