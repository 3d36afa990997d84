"""Ranking spaces for untagged pictures: scenes rendered into a space are to be found plausible there."""

from __future__ import annotations

import numpy as np
import pytest

from velkin.core.conversion.codes import codes_of_light
from velkin.core.conversion.conversion import Conversion
from velkin.core.conversion.pictures import convert_picture
from velkin.core.files.raw import read_facts
from velkin.core.path import path_of
from velkin.core.render import to_working
from velkin.core.sources import decode_source
from velkin.core.spaces.rgb import BUILT_IN, OPRGB, ROMM, SRGB, RGBSpace
from velkin.core.spaces.transfer import ByChannel, Transfer
from velkin.core.stages.camera import built_in_stage
from velkin.core.tags.plausible import TRIED, Hints, ranked, sample_of

SPACES = [BUILT_IN[i] for i in TRIED]


@pytest.fixture(scope="module")
def scenes(demo_frames) -> dict[str, np.ndarray]:
    """Linear ROMM of the demo's subjects."""
    found = {}
    for path in sorted(demo_frames.glob("*.dng")):
        facts = read_facts(path)
        camera = path_of(built_in_stage(facts), ROMM, SRGB, exposure=0.6)
        found[path.stem] = to_working(decode_source(path, camera.source, True), camera)
    return found


def written(linear: np.ndarray, space: RGBSpace, bits: int) -> np.ndarray:
    from velkin.core.spaces.rgb import between

    numbers = np.ascontiguousarray(linear @ between(ROMM, space).T.astype(np.float32))
    codes = codes_of_light(numbers, space, bits, dither=True)
    return codes / np.float32(255 if bits == 8 else 65535)


def test_the_right_space_ranks_first_or_close_to_it(scenes):
    first = near = total = 0
    for name, linear in scenes.items():
        if name.endswith("02"):
            continue  # frames of a grey card say nothing of a space
        for space, bits in ((SRGB, 8), (ROMM, 16)):
            order = ranked(sample_of(written(linear, space, bits)), SPACES, Hints(bits))
            place = [p.space.id for p in order].index(space.id)
            first, near, total = first + (place == 0), near + (place <= 2), total + 1
    print(f"plausibility: right space first in {first} of {total}, among the first three in {near}")
    assert first >= 0.6 * total and near >= 0.85 * total


def test_a_srgb_picture_in_romm_is_found_too_strong_and_the_reverse_dull(scenes):
    linear = scenes["north-0412"]
    as_romm = {p.space.id: p for p in ranked(sample_of(written(linear, SRGB, 8)), SPACES, Hints(8))}
    assert any("strong" in r for r in as_romm["romm"].reasons) and any("8 bits" in r for r in as_romm["romm"].reasons)
    assert as_romm["srgb"].score > as_romm["romm"].score + 2


def test_a_camera_name_beginning_with_an_underscore_speaks_for_oprgb(scenes):
    sample = sample_of(written(scenes["north-0412"], OPRGB, 8))
    plain = ranked(sample, SPACES, Hints(8))
    hinted = ranked(sample, SPACES, Hints(8, "_ABC0001.JPG", "Velkin Studio One", 65535))
    assert hinted[0].space == OPRGB
    assert [p.space.id for p in plain].index("oprgb") >= 0


def test_a_space_in_which_equal_numbers_are_not_neutral_is_marked_down():
    grey = np.repeat(np.linspace(0.1, 0.9, 4000)[:, None], 3, axis=1).astype(np.float32)
    cast = RGBSpace("cast", "cast", "", SRGB.primaries, SRGB.white, ByChannel(Transfer(2.2), Transfer(1.8), Transfer(2.2)))
    order = ranked(grey, [cast, SRGB], Hints())
    assert order[0].space == SRGB and any("cast" in r for r in order[1].reasons)
    assert any("stay neutral" in r for r in order[0].reasons)


@pytest.mark.parametrize("sample", [np.zeros((10, 3)), np.ones((10, 3)), np.full((1, 3), 0.5)])
def test_pictures_of_nothing_are_ranked_too(sample):
    assert len(ranked(sample.astype(np.float32), SPACES, Hints())) == len(SPACES)


def test_converted_pictures_keep_their_plausibility(scenes):
    numbers = (written(scenes["north-0412"], SRGB, 8) * 255).astype(np.uint8)
    wide = convert_picture(numbers, Conversion(SRGB, ROMM), 16).numbers / np.float32(65535)
    order = [p.space.id for p in ranked(sample_of(wide), SPACES, Hints(16))]
    assert order.index("romm") < order.index("srgb")
