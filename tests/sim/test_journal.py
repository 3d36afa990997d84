"""The journal's pictures and the second camera: a plate and its treatment lie on each other, the clip is flat, the doll is felt."""

import numpy as np
from PIL import Image, ImageCms

from velkin.core.files.raw import read_facts
from velkin.core.match.aligned import pairs_of_aligned
from velkin.core.match.solver import Wish, learn
from velkin.core.spaces.rgb import ROMM, SRGB, between
from velkin.sim import journal, madderfold
from velkin.sim.sittings import SECOND


def linear(path) -> np.ndarray:
    codes = np.asarray(Image.open(path)) / 255.0
    return (np.asarray(SRGB.decode(codes)) @ between(SRGB, ROMM).T).astype(np.float32)


def test_a_plate_its_treatment_and_a_flat_clip_are_made_once(demo_frames, tmp_path):
    steps = []
    files = journal.make(tmp_path, demo_frames, steps.append)
    assert [f.name for f in files] == ["plate-before.jpg", "plate-after.jpg", "clip-0007.jpg"]
    assert steps == list(range(1, journal.COUNT + 1))
    for file in files:
        assert "sRGB" in ImageCms.getProfileDescription(ImageCms.getOpenProfile(_icc(file, tmp_path)))
    before, after, clip = (linear(f) for f in files)
    found = learn(pairs_of_aligned(before, after).pairs)
    assert found.figures.before > 3.0 and found.figures.mean < 0.6
    assert np.ptp(np.percentile(clip, [1, 99])) < 0.75 * np.ptp(np.percentile(before, [1, 99]))
    flat = learn(pairs_of_aligned(clip, _of(files[2], demo_frames)).pairs, Wish(normalise="auto"))
    assert flat.match.normalising.changes
    assert journal.make(tmp_path, demo_frames, steps.append) == files and len(steps) == journal.COUNT
    assert journal.make(tmp_path / "none", demo_frames, steps.append, lambda: True) and len(steps) == journal.COUNT


def _of(file, frames) -> np.ndarray:
    """The picture that the clip was made of, at its size."""
    size = Image.open(file).size
    return journal.linear_part(frames, "north-0412", (0.0, 0.0, 1.0, 1.0), size[0], ROMM).clip(0.0, 1.0)


def _icc(file, folder):
    path = folder / f"{file.stem}.icc"
    path.write_bytes(Image.open(file).info["icc_profile"])
    return str(path)


def test_the_second_camera_shot_the_same_bench(demo_frames):
    files = madderfold.files_of(SECOND, demo_frames)
    assert [f.stem for f in files] == ["field-0201", "field-0203", "field-0205"]
    assert {read_facts(f).model for f in files} == {"Velkin Field Two"}
    assert {read_facts(f).model for f in madderfold.frame_files(demo_frames)} == {"Velkin Studio One"}
