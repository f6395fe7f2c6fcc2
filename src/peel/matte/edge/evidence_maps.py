"""What the colours near a mark say of each pixel, weighed by how often they say the same where the answer is known.

Every score is turned into a log likelihood ratio by its histograms over pixels whose side is known: the backdrop at
some distance from the mark, and the mark's core. A score that is as frequent on one side as on the other says nothing,
so that grain, gravel and leaves of a busy backdrop are no strands of the subject, and a pattern of the subject is no
gap.
"""

from dataclasses import dataclass
from typing import Final

import cv2
import numpy as np
from numpy.typing import NDArray

from peel.matte.arrays import BoolArray, ByteArray, FloatArray
from peel.matte.edge.sides import Distances, Sides

__all__ = ["EXPLAINED", "RING", "Known", "disc", "known_sides", "openness", "strangeness", "wispiness"]

EXPLAINED: Final = 3.5
"""Standard deviations up to which a side explains a colour."""

RING: Final = (30, 140)
"""Distances from the mark between which backdrop is taken to be backdrop."""

_CORE: Final = 14  # depth from which the mark is taken to be right
_FEW: Final = 200  # pixels below which a nearer ring or core is used instead
_MOST_ATTACHED: Final = 0.5  # share of the ring that must be left without what hangs together with the mark
_MOST_TAKEN: Final = 0.15  # share of the core that may be left out as backdrop; more is the subject's own pattern
_TAKEN_LIKE: Final = 2.0  # standard deviations from the backdrop below which it is left out
_TAKEN_GAIN: Final = 10.0  # and gain above which it is
_SURE: Final = 3.0  # log likelihood ratio that counts as certain
_UNSEEN: Final = 0.01  # share added to every bin: what was never seen is not impossible
_STRANGE_BINS: Final = np.array([0, 1, 1.7, 2.5, 3.5, 5, 7, 10, 15, np.inf])
_GAIN_BINS: Final = np.array([-np.inf, -40, -20, -10, -4, 0, 4, 10, 20, 40, np.inf])
_COVER_BINS: Final = np.array([-1, 0.15, 0.3, 0.45, 0.6, 0.7, 0.8, 0.87, 0.93, 0.97, 2])
_MIXED: Final = 2.0  # standard deviations from the subject from which a colour may be a mixture
_HALF: Final = 0.5  # evidence of a colour that the backdrop's model does not explain
_FINE: Final = 7  # width of what counts as a strand
_WISPY_REACH: Final = 40  # half the side of the windows in which strands are counted
_WISPY: Final = 0.03  # share of such a window from which an edge is wispy
_WISPY_USUAL: Final = 4.0  # how much more there must be than in the backdrop


@dataclass(frozen=True)
class Known:
    """Pixels whose side is taken as known; (h, w) bool: the backdrop near the mark, and the mark's core."""

    ring: BoolArray
    core: BoolArray


def known_sides(
    subject: BoolArray, distances: Distances, sides: Sides, unit: float, *, apart_from_attached: bool = True
) -> Known:
    """Choose the pixels by which evidence is weighed.

    Parameters
    ----------
    subject : (h, w) bool ndarray
    distances : Distances
    sides : Sides
    unit : float
        Working pixels for each pixel of a picture 1200 pixels long.
    apart_from_attached : bool
        Whether what hangs together with the mark is left out of the ring.
    """
    low, high = (reach * unit for reach in RING)
    ring = (distances.to_subject > low) & (distances.to_subject < high)
    if ring.sum() < _FEW:
        ring = distances.to_subject > low / 2
    if ring.sum() < _FEW:
        ring = ~subject
    # Strands that hang together with the mark must not pass for the backdrop's own; a busy backdrop's pieces do not.
    if apart_from_attached:
        attached = _attached((sides.from_backdrop > EXPLAINED) & ~subject, subject)
        if (ring & ~attached).sum() > _MOST_ATTACHED * ring.sum():
            ring = ring & ~attached
    core = distances.to_backdrop > _CORE * unit
    # Nor must backdrop that a generous mark took in teach what the subject looks like.
    taken = _attached((sides.from_backdrop < _TAKEN_LIKE) & (sides.gain > _TAKEN_GAIN) & subject, ~subject)
    if (core & taken).sum() < _MOST_TAKEN * core.sum():
        core = core & ~taken
    if core.sum() < _FEW:
        core = distances.to_backdrop > _CORE * unit / 4
    return Known(ring, core if core.sum() >= _FEW // 4 else subject)


def _attached(pieces: BoolArray, roots: BoolArray) -> BoolArray:
    """Return the pieces that touch a root."""
    _, labels = cv2.connectedComponents((pieces | roots).astype(np.uint8), connectivity=8)
    own = np.zeros(int(labels.max()) + 1, bool)
    own[np.unique(labels[roots])] = True
    return np.asarray(own[labels] & pieces)


def _shares(score: FloatArray, bins: NDArray[np.float64], mask: BoolArray) -> NDArray[np.float64]:
    counts = np.histogram(score[mask], bins=bins)[0] + 0.0
    shares = counts / max(counts.sum(), 1) + _UNSEEN
    return shares / shares.sum()


def _ratio(
    score: FloatArray, bins: NDArray[np.float64], for_it: NDArray[np.float64], against: NDArray[np.float64]
) -> FloatArray:
    """Return the log likelihood ratio of every pixel's bin, averaged over 3 x 3 pixels and scaled to [-1, 1]."""
    table = (np.log(for_it / against) / _SURE).astype(np.float32)
    found = table[np.clip(np.digitize(score, bins) - 1, 0, len(table) - 1)]
    return np.clip(cv2.blur(found, (3, 3)), -1, 1)


def strangeness(sides: Sides, known: Known) -> FloatArray:
    """Return evidence that the backdrop does not explain a pixel, in [-1, 1]; below 0 that it does.

    Returns (h, w) float32 at the working size.
    """
    score, bins = sides.from_backdrop, _STRANGE_BINS
    return _ratio(score, bins, _shares(score, bins, known.core), _shares(score, bins, known.ring))


def openness(sides: Sides, known: Known, wispy: FloatArray) -> FloatArray:
    """Return evidence that a marked pixel shows the backdrop rather than the subject, in [-1, 1].

    Parameters
    ----------
    sides : Sides
    known : Known
    wispy : (h, w) float32 ndarray
        From `wispiness`: there mixtures of both sides count as well, as they would if every share of both were
        equally frequent.
    """
    gain = sides.gain
    clear = _ratio(gain, _GAIN_BINS, _shares(gain, _GAIN_BINS, known.ring), _shares(gain, _GAIN_BINS, known.core))
    clear = np.where((clear > 0) & (sides.from_backdrop >= EXPLAINED), _HALF * clear, clear)
    if not wispy.any():
        return clear
    even = np.diff(np.clip(_COVER_BINS, 0, 1)) + 0.003
    mixed = _ratio(sides.cover, _COVER_BINS, even / even.sum(), _shares(sides.cover, _COVER_BINS, known.core))
    mixed = mixed * wispy * (sides.from_own > _MIXED)
    return np.asarray(np.where(mixed > 0, np.maximum(clear, mixed), clear), np.float32)


def wispiness(body: BoolArray, reached: BoolArray, known: Known, unit: float) -> tuple[BoolArray, FloatArray]:
    """Find strands outside the mark, and where the edge is made of them.

    Parameters
    ----------
    body : (h, w) bool ndarray
        The mark and all that the backdrop does not explain.
    reached : (h, w) bool ndarray
        Pixels of the backdrop's side that hang together with the mark, some pixels away from it.
    known : Known
    unit : float
        As in `known_sides`.

    Returns
    -------
    fine : (h, w) bool ndarray
        Strands that hang together with the mark.
    wispy : (h, w) float32 ndarray
        In [0, 1]; 0 where strands are no more frequent than in the backdrop.
    """
    codes = body.astype(np.uint8)
    opened = cv2.morphologyEx(codes, cv2.MORPH_OPEN, disc(max(1, round(_FINE * unit) // 2)))
    thin = body & (opened == 0)
    usual = float(thin[known.ring].mean()) if known.ring.any() else 0.0
    fine = thin & reached
    window = (2 * round(_WISPY_REACH * unit) + 1,) * 2
    share = cv2.blur(fine.astype(np.float32), window)
    return fine, np.clip(share / np.float32(_WISPY + _WISPY_USUAL * usual), 0, 1)


def disc(radius: int) -> ByteArray:
    """Return a disc as a structuring element.

    Returns (2 r + 1, 2 r + 1) uint8, 1 within the disc.
    """
    return np.asarray(cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * radius + 1,) * 2), np.uint8)
