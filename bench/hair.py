"""How much hair, and one strand: drawn strands with known length, before plain and photographed backdrops.

The first table says how many strands longer than the dial stay whole and how many shorter ones go, the second how many
are followed to within 1.5 pixels over nine tenths of their length, and both how long that takes.
"""

import time
from collections.abc import Iterator
from dataclasses import dataclass

import cv2
import numpy as np

from bench.backdrops import has_photographs, photograph
from peel.matte.arrays import FloatArray
from peel.matte.marking.strand_trace import trace_strand
from peel.matte.repair.hair import hair_of
from peel.matte.srgb import to_encoded

__all__ = ["DrawnStrand", "disc_of_hair", "row_of_strands", "table"]

_FINE = 4
_DIALS = (30.0, 60.0, 120.0)
WATCHED, UNSEEN = range(4), range(200, 204)


@dataclass(frozen=True)
class DrawnStrand:
    """Points x, y, width and opacity of a strand, and its own alpha in a window (top, left)."""

    points: FloatArray
    width: float
    opacity: float
    top: int
    left: int
    alpha: FloatArray


def _strand(points: np.ndarray, width: float, opacity: float, size: int) -> DrawnStrand:
    low = np.maximum(np.floor(points.min(axis=0)).astype(int) - 6, 0)
    high = np.minimum(np.ceil(points.max(axis=0)).astype(int) + 6, size)
    fine = np.zeros(((high - low)[::-1] * _FINE), np.uint8)
    line = np.round((points - low + 0.5) * _FINE * 16).astype(np.int32)
    cv2.polylines(fine, [line], isClosed=False, color=255, thickness=max(1, round(width * _FINE)), lineType=cv2.LINE_AA,
                  shift=4)  # fmt: skip
    small = cv2.resize(fine, tuple(int(v) for v in high - low), interpolation=cv2.INTER_AREA)
    alpha = small.astype(np.float32) / 255 * np.float32(opacity)
    return DrawnStrand(points, width, opacity, int(low[1]), int(low[0]), alpha)


def _laid(alpha: FloatArray, strand: DrawnStrand) -> None:
    part = np.s_[strand.top : strand.top + strand.alpha.shape[0], strand.left : strand.left + strand.alpha.shape[1]]
    alpha[part] = 1 - (1 - alpha[part]) * (1 - strand.alpha)


def disc_of_hair(seed: int, count: int, size: int = 1200) -> tuple[FloatArray, list[DrawnStrand]]:
    """Draw a disc with strands of 10 to 300 pixels that cross one another, (H, W) alpha."""
    rng = np.random.default_rng(seed)
    alpha = np.zeros((size, size), np.float32)
    cv2.circle(alpha, (size // 2, size // 2), size // 5, 1.0, -1, cv2.LINE_AA)
    alpha, strands = cv2.GaussianBlur(alpha, (0, 0), 1.0), []
    for _ in range(count):
        around, length = rng.uniform(0, 2 * np.pi), float(np.exp(rng.uniform(np.log(10), np.log(300))))
        bend = rng.normal(0, 0.004)
        ways = around + rng.normal(0, 0.3) + bend * np.arange(int(length) + 6)
        root = size / 2 + (size / 5 - 4) * np.array([np.cos(around), np.sin(around)])
        points = root + np.cumsum(np.stack([np.cos(ways), np.sin(ways)], axis=1), axis=0)
        strands.append(_strand(points, rng.uniform(1.0, 2.5), rng.uniform(0.3, 1), size))
        _laid(alpha, strands[-1])
    return alpha, strands


def _kept_and_gone(seed: int, count: int, dial: float) -> np.ndarray:
    """Return how many longer strands stayed, of how many, and how many shorter ones went, of how many."""
    alpha, strands = disc_of_hair(seed, count)
    hair, size = hair_of(np.round(alpha * 65535).astype(np.uint16)), alpha.shape[0]
    out = alpha - hair.falls(dial) / np.float32(65535)
    many = np.zeros(alpha.shape, np.uint8)
    for own in strands:
        many[own.top : own.top + own.alpha.shape[0], own.left : own.left + own.alpha.shape[1]] += own.alpha > 0.03
    ys, xs = np.mgrid[:size, :size]
    beyond = np.hypot(ys - size / 2, xs - size / 2) > size / 5 + 4
    score = np.zeros(4)
    for own in strands:
        part = np.s_[own.top : own.top + own.alpha.shape[0], own.left : own.left + own.alpha.shape[1]]
        alone = (own.alpha > 0.15) & (many[part] == 1) & beyond[part]
        if alone.sum() < 6:
            continue
        visible = (len(own.points) - 4 + own.width) * min(own.opacity * min(own.width, 1) / 0.5, 1)
        left = float(out[part][alone].sum() / alpha[part][alone].sum())
        if visible > 1.15 * dial:
            score += [left > 0.7, 1, 0, 0]
        elif visible < 0.85 * dial:
            score += [0, 0, left < 0.3, 1]
    return score


def row_of_strands(seed: int, backdrop: str, size: int = 900) -> tuple[np.ndarray, np.ndarray, list[FloatArray]]:
    """Draw six strands that grow upwards from a body, as a camera takes them: picture, zones for a trace, paths."""
    rng = np.random.default_rng(seed)
    if backdrop == "plain":
        behind = np.clip(rng.uniform(0.3, 0.9, 3) + np.linspace(0, rng.uniform(-0.2, 0.2), size)[:, None, None], 0, 1)
        behind = np.broadcast_to(behind, (size, size, 3)).astype(np.float32)
    else:
        behind = to_encoded(photograph(size, size, 1.0, seed, rng, sharp=backdrop == "in focus"))
    dark = rng.random() < 0.6 if backdrop != "plain" else behind.mean() > 0.5
    ink = rng.uniform(0.05, 0.25, 3) if dark else rng.uniform(0.75, 0.95, 3)
    picture = np.array(behind)
    picture[770:] = ink
    zone = np.zeros((size, size), np.uint8)
    zone[760:] = 2
    paths = []
    for k in range(6):
        steps = int(rng.uniform(60, 250))
        bends = np.cumsum(rng.normal(0, 0.0005, steps)) + rng.normal(0, 0.0025)
        ways = -np.pi / 2 + rng.normal(0, 0.35) + np.cumsum(2 * bends)
        root = np.array([150 + 110 * k + rng.uniform(-30, 30), 775.0])
        points = root + np.cumsum(2 * np.stack([np.cos(ways), np.sin(ways)], axis=1), axis=0)
        inside = ((points > 8) & ((points < size - 8) | (points >= 760))).all(axis=1)
        points = points if inside.all() else points[: int(np.argmin(inside))]
        if len(points) < 12:
            continue
        cover = np.zeros((size, size), np.float32)
        _laid(cover, _strand(points, rng.uniform(1.5, 3.5), 1.0, size))
        tone = np.clip(ink + rng.normal(0, 0.03, 3), 0, 1)
        picture = picture * (1 - cover[..., None]) + cover[..., None] * tone
        paths.append(points)
    taken = cv2.GaussianBlur(picture.astype(np.float32), (0, 0), 0.6) + rng.normal(0, 0.008, picture.shape)
    coded = cv2.imencode(
        ".jpg", (np.clip(taken, 0, 1) * 255).astype(np.uint8)[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 90]
    )
    decoded = cv2.imdecode(coded[1], cv2.IMREAD_COLOR)[..., ::-1]
    return np.ascontiguousarray(decoded), zone, paths


def _followed(seed: int, backdrop: str) -> list[tuple[bool, bool, float]]:
    """Return for each strand whether it was followed, whether the trace goes on beyond it, and the seconds it took."""
    picture, zone, paths = row_of_strands(seed, backdrop)
    rng, out = np.random.default_rng(seed), []
    for path in paths:
        seen = path[path[:, 1] < 756]
        if len(seen) < 20:
            continue
        began = time.perf_counter()
        x, y = seen[3] + rng.normal(0, 1.0, 2)
        trace = trace_strand(picture, zone, (float(x), float(y)))
        took = time.perf_counter() - began
        if trace is None:
            out.append((False, False, took))
            continue
        ends = trace.points
        dense = np.concatenate([np.linspace(ends[i], ends[i + 1], 4) for i in range(len(ends) - 1)])
        near = np.hypot(*(seen[:, None] - dense[None]).T).T.min(axis=1) < 1.5
        far = np.hypot(*(dense[dense[:, 1] < 756][:, None] - seen[None]).T).T.min(axis=1) > 3
        out.append((bool(near.mean() >= 0.9), bool(far.sum() > 10), took))
    return out


def table() -> Iterator[str]:
    """Measure both."""
    yield "| strands | dial, px | longer that stay, watched / unseen | shorter that go |"
    yield "|---|---|---|---|"
    for count in (60, 200):
        for dial in _DIALS:
            scores = [sum(_kept_and_gone(seed, count, dial) for seed in seeds) for seeds in (WATCHED, UNSEEN)]
            stay, go = (" / ".join(f"{100 * own[k] / own[k + 1]:.0f} %" for own in scores) for k in (0, 2))
            yield f"| {count} | {dial:.0f} | {stay} | {go} |"
    yield ""
    yield "| backdrop | followed, watched / unseen | beyond the tip | seconds, mean and most |"
    yield "|---|---|---|---|"
    for backdrop in ("plain", "out of focus", "in focus") if has_photographs() else ("plain",):
        rows = [[row for seed in seeds for row in _followed(100 * half + seed, backdrop)]
                for half, seeds in ((1, range(1, 8)), (2, range(1, 8)))]  # fmt: skip
        shares = [" / ".join(f"{100 * np.mean([row[k] for row in own]):.0f} %" for own in rows) for k in (0, 1)]
        took = [row[2] for own in rows for row in own]
        yield f"| {backdrop} | {shares[0]} | {shares[1]} | {np.mean(took):.2f}, {np.max(took):.2f} |"
