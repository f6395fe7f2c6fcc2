"""Colours of the demo photos' edges put right in the window: green light, a dark rim, a glow, a blue reflection."""

from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
import pytest
from PIL import Image

from desk.hand import Hand
from peel.demo.photos import demo_photo
from peel.desk.colour.colour_desk import ColourDesk
from peel.desk.steps import Step
from peel.job.edits.values import set_value, use_zones, with_matte
from peel.job.rect import Rect
from peel.matte.colour.spill import chroma_axis
from peel.work.inspecting.fringe import measure_fringe
from peel.work.session.session import Session

pytest_plugins = ["desk.conftest"]

Spoil = Callable[[np.ndarray, np.ndarray], np.ndarray]


def _opened(hand: Hand, folder: Path, name: str, window: Rect, spoil: Spoil | None = None) -> np.ndarray:
    """Open a part of a demo photo with its exact matte, in Colour; return the part's true colours."""
    demo = demo_photo(name)
    photo, colours = (np.asarray(Image.open(path).convert("RGB"))[window.slices] for path in (demo.photo, demo.colours))
    matte, zones = (np.asarray(Image.open(path).convert("L"))[window.slices] for path in (demo.matte, demo.zones))
    alpha = matte.astype(np.float32) / 255
    if spoil is not None:
        photo = spoil(photo, alpha)
    Image.fromarray(photo).save(folder / f"{name}.png")
    session = Session.begin(folder / f"{name}.png", folder / f"{name}.peel")
    session.apply("Zones", lambda job: with_matte(use_zones(job, zones), job.photo.bounds, alpha))
    session.close()
    hand.open(folder / f"{name}.peel")
    hand.step("Colour")
    _rest(hand)
    return colours.astype(np.float32) / 255


def _rest(hand: Hand) -> None:
    hand.settle()
    hand.wait(lambda: hand.bench.part(ColourDesk).is_idle)
    hand.rest()


def _colours(hand: Hand) -> np.ndarray:
    return hand.session.stages.foreground(hand.job, hand.job.photo.bounds, 0)


def test_the_drummer_s_plume_loses_the_cloth_s_green(hand: Hand, tmp_path: Path) -> None:
    def lit(photo: np.ndarray, alpha: np.ndarray) -> np.ndarray:
        return np.clip(photo + alpha[..., None] * np.array([-30.0, 40.0, -10.0]), 0, 255).astype(np.uint8)

    truth = _opened(hand, tmp_path, "tin-drummer", Rect(200, 500, 900, 1400), lit)
    panel = hand.panel(Step.COLOUR)
    before = _colours(hand)

    panel.pick_hue.click()
    hand.click(20, 20)
    panel.hue_fields["protect"].set_value(0)
    _rest(hand)

    assert hand.job.settings.recipe.colour.spill.hue is not None
    axis = chroma_axis(np.float32([0.24, 0.57, 0.32]))
    plane = np.array([[1, -0.5, -0.5], [0, np.sqrt(3) / 2, -np.sqrt(3) / 2]]) * 2 / 3
    alpha = hand.session.stages.alpha(hand.job, hand.job.photo.bounds, 0)

    def green(colours: np.ndarray) -> float:
        """Average how far colours of the edge lie towards the cloth's green, beyond the other way aside."""
        chroma = colours[(alpha > 0.05) & (alpha < 1)] @ plane.T
        aside = np.abs(chroma @ np.array([-axis[1], axis[0]]))
        return float(np.maximum(chroma @ axis - aside / np.tan(np.deg2rad(50)), 0).mean())

    assert green(before) > 5 * green(truth)
    assert green(_colours(hand)) < 0.2 * green(before)


def test_the_lantern_s_dark_rim_is_measured_and_brought_to_its_tone(hand: Hand, tmp_path: Path) -> None:
    def darkened(photo: np.ndarray, alpha: np.ndarray) -> np.ndarray:
        inside = cv2.distanceTransform((alpha >= 0.5).astype(np.uint8), cv2.DIST_L2, 5)
        rim = np.clip(1 - inside / 6, 0, 1) * (alpha > 0.02)
        return np.round(photo * (1 - 0.4 * rim[..., None])).astype(np.uint8)

    _opened(hand, tmp_path, "lamplighter", Rect(1000, 500, 1900, 1500), darkened)
    before = measure_fringe(hand.session.stages, hand.job)
    assert before is not None
    assert before.rim.lighter < -0.03

    hand.press("propose rims")
    _rest(hand)

    after = measure_fringe(hand.session.stages, hand.job)
    assert after is not None
    assert hand.job.settings.recipe.colour.rim_light > 0.5
    rim = hand.job.settings.recipe.colour.rim_px
    bare = set_value(set_value(hand.job, "recipe.colour.rim_light", 0.0), "recipe.colour.rim_tint", 0.0)
    at_that_width = measure_fringe(hand.session.stages, bare)
    assert at_that_width is not None
    assert rim > 1
    assert abs(after.rim.lighter) < 0.6 * abs(at_that_width.rim.lighter)


def test_a_glow_round_ivy_is_brushed_darker_and_the_dark_leaves_stay(hand: Hand, tmp_path: Path) -> None:
    def glowing(photo: np.ndarray, alpha: np.ndarray) -> np.ndarray:
        rim = cv2.GaussianBlur(
            ((alpha > 0.5) & (cv2.erode(alpha, np.ones((9, 9))) < 0.5)).astype(np.float32), (0, 0), 1
        )
        return np.round(photo + (255.0 - photo) * 0.35 * rim[..., None]).astype(np.uint8)

    _opened(hand, tmp_path, "ivy-king", Rect(500, 700, 1100, 1500), glowing)
    before = _colours(hand)
    hand.command("Lighten")
    hand.desk.set_brush(500)
    hand.desk.shape_brush(softness=0.0, strength=1.0)
    for _ in range(3):
        hand.drag([(100, 300), (400, 300), (700, 300)], right=True)
    _rest(hand)

    change = (_colours(hand) - before).mean(axis=2)
    alpha = hand.session.stages.alpha(hand.job, hand.job.photo.bounds, 0)
    rim = (alpha > 0.5) & (cv2.erode(alpha, np.ones((5, 5))) < 0.5)
    assert change[rim].mean() < -0.02
    assert change.max() < 0.004


def test_a_blue_reflection_in_bramble_s_hair_is_tinted_back(hand: Hand, tmp_path: Path) -> None:
    spot = (slice(240, 330), slice(300, 400))

    def reflecting(photo: np.ndarray, _alpha: np.ndarray) -> np.ndarray:
        lab = cv2.cvtColor(photo.astype(np.float32) / 255, cv2.COLOR_RGB2Lab)
        lab[spot][..., 1:] += (-6.0, -38.0)
        return np.round(np.clip(cv2.cvtColor(lab, cv2.COLOR_Lab2RGB), 0, 1) * 255).astype(np.uint8)

    truth = _opened(hand, tmp_path, "bramble", Rect(500, 1250, 1100, 1950), reflecting)

    def off() -> float:
        pair = (cv2.cvtColor(np.clip(part[spot], 0, 1), cv2.COLOR_RGB2Lab)[..., 1:] for part in (_colours(hand), truth))
        one, other = pair
        return float(np.linalg.norm(one.mean(axis=(0, 1)) - other.mean(axis=(0, 1))))

    before = off()
    hand.press("tint from a spot")
    hand.click(350, 420)
    _rest(hand)
    hand.desk.set_brush(90)
    hand.desk.shape_brush(softness=0.0, strength=1.0)
    hand.drag([(310, 285), (350, 285), (390, 285)])
    hand.drag([(310, 250), (390, 250)])
    hand.drag([(310, 320), (390, 320)])
    _rest(hand)

    assert before > 20
    assert off() < 0.5 * before


@pytest.fixture(autouse=True)
def _quick(monkeypatch: pytest.MonkeyPatch) -> None:
    """Keep the inspection out of the way: it is not what is looked at here."""
    monkeypatch.setattr("peel.desk.matte.snag_feed._REST_MS", 600_000)
