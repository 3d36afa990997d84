"""Raw files of every kind that can be made here: mosaics, other patterns, levels by channel, no mosaic at all; one camera by all its names."""

from __future__ import annotations

from pathlib import Path
from types import SimpleNamespace

import numpy as np
import pytest
import tifffile

from velkin.core.cameraprofiles.anyprofile import check_camera
from velkin.core.errors import BadProfile, UnreadableFile
from velkin.core.files import raw
from velkin.core.files.camera_names import is_shot_with, normal, same_body, same_camera
from velkin.core.files.contents import PartKind
from velkin.core.files.source_contents import contents_of
from velkin.core.shoot.arrivals import look_at

HEIGHT, WIDTH, SIDE, WHITE = 640, 880, 80, 4095
COLOURS = np.random.default_rng(1).uniform(0.05, 0.9, (HEIGHT // SIDE, WIDTH // SIDE, 3))
Y, X = np.mgrid[0:HEIGHT, 0:WIDTH]
SCENE = COLOURS[Y // SIDE, X // SIDE]
SIX = ((1, 2, 1, 1, 0, 1), (0, 1, 0, 2, 1, 2), (1, 2, 1, 1, 0, 1), (1, 0, 1, 1, 2, 1), (2, 1, 2, 0, 1, 0), (1, 0, 1, 1, 2, 1))
MATRIX = (9, 10, -3, 10, -1, 10, -4, 10, 12, 10, 2, 10, 0, 10, 2, 10, 6, 10)


def dng(
    path: Path,
    pixels: np.ndarray,
    photometric: int,
    *tags: tuple,
    names=("Madderfold Vat", "Madderfold", "Vat"),
    turned: int = 1,
) -> Path:
    """A DNG of raw numbers."""
    unique, make, model = names
    common = [
        (50706, 1, 4, b"\1\4\0\0", True), (50707, 1, 4, b"\1\1\0\0", True), (50708, 2, 0, unique, True), (271, 2, 0, make, True),
        (272, 2, 0, model, True), (274, 3, 1, turned, True), (50721, 10, 9, MATRIX, True), (50778, 3, 1, 21, True),
        (50728, 5, 3, (1, 2, 1, 1, 2, 3), True),
    ]  # fmt: skip
    tifffile.imwrite(path, pixels, photometric=photometric, metadata=None, extratags=[*common, *tags], rowsperstrip=HEIGHT)
    return path


def mosaic(path: Path, pattern: tuple[tuple[int, ...], ...], black: np.ndarray, **more: object) -> Path:
    """A mosaic, each colour above the black of its place; white counts from the largest black (DNG 1.6, chapter 5)."""
    p = np.array(pattern)
    b = black[Y % black.shape[0], X % black.shape[1]]
    seen = np.take_along_axis(SCENE, p[Y % p.shape[0], X % p.shape[1]][..., None], 2)[..., 0]
    numbers = np.round(b + seen * (WHITE - black.max())).astype(np.uint16)
    tags = (
        (33421, 3, 2, p.shape, True), (33422, 1, p.size, bytes(p.ravel().tolist()), True), (50710, 1, 3, b"\0\1\2", True), (50711, 3, 1, 1, True),
        (50713, 3, 2, black.shape, True), (50714, 4, black.size, tuple(int(v) for v in black.ravel()), True), (50717, 4, 1, WHITE, True),
    )  # fmt: skip
    return dng(path, numbers, 32803, *tags, **more)  # type: ignore[arg-type]


def linear(path: Path, black: tuple[int, int, int] = (256, 256, 256), **more: object) -> Path:
    """A DNG without a mosaic."""
    numbers = np.round(np.array(black) + SCENE * (WHITE - max(black))).astype(np.uint16)
    tags = ((50713, 3, 2, (1, 1), True), (50714, 4, 3, black, True), (50717, 4, 3, (WHITE,) * 3, True))
    return dng(path, numbers, 34892, *tags, **more)  # type: ignore[arg-type]


def middles(path: Path, half: bool) -> np.ndarray:
    """The colours in the middles of the patches."""
    pixels = raw.decode(path, half)
    assert pixels.shape[:2] == ((HEIGHT // 2, WIDTH // 2) if half else (HEIGHT, WIDTH))
    side = SIDE // 2 if half else SIDE
    cells = pixels.reshape(HEIGHT // SIDE, side, WIDTH // SIDE, side, 3)
    return cells[:, side // 2 - 3 : side // 2 + 3, :, side // 2 - 3 : side // 2 + 3].mean(axis=(1, 3))


@pytest.mark.parametrize("half", [False, True])
@pytest.mark.parametrize(
    ("pattern", "black"),
    [
        (((0, 1), (1, 2)), [[0]]),
        (((1, 2), (0, 1)), [[256]]),
        (((2, 1), (1, 0)), [[200, 260], [240, 300]]),
        (SIX, [[64]]),
    ],
)
def test_mosaics_of_any_pattern_and_black_by_place_give_the_same_colours(tmp_path, pattern, black, half):
    found = middles(mosaic(tmp_path / "a.dng", pattern, np.array(black)), half)
    # LibRaw counts white from the least black, DNG from the largest: the same factor for all
    factor = (WHITE - np.max(black)) / (WHITE - np.min(black))
    assert np.abs(found - COLOURS * factor).max() < 4e-4


@pytest.mark.parametrize("half", [False, True])
@pytest.mark.parametrize("black", [(0, 0, 0), (256, 256, 256), (200, 256, 230)])
def test_a_file_without_a_mosaic_has_its_levels_and_its_half_size(tmp_path, black, half):
    assert np.abs(middles(linear(tmp_path / "a.dng", black), half) - COLOURS).max() < 4e-4


@pytest.mark.parametrize("turned", [1, 3, 6, 8])
def test_a_file_without_a_mosaic_stands_upright_as_a_mosaic_does(tmp_path, turned):
    one = raw.decode(mosaic(tmp_path / "a.dng", ((0, 1), (1, 2)), np.array([[256]]), turned=turned), half=True)
    two = raw.decode(linear(tmp_path / "b.dng", turned=turned), half=True)
    assert one.shape == two.shape and np.median(np.abs(one - two)) < 4e-4
    facts = raw.read_facts(tmp_path / "b.dng")
    assert (facts.height, facts.width) == (two.shape[0] * 2, two.shape[1] * 2)


def test_two_files_of_one_frame_by_different_converters_agree(tmp_path):
    kept = mosaic(
        tmp_path / "a.dng",
        ((0, 1), (1, 2)),
        np.array([[256]]),
        names=("Madderfold Vat", "MADDERFOLD CORPORATION", "MADDERFOLD Vat"),
    )
    made = linear(tmp_path / "b.dng", names=("VAT", "Madderfold", "Vat"))
    a, b = raw.read_facts(kept), raw.read_facts(made)
    assert np.abs(middles(kept, False) - middles(made, False)).max() < 4e-4 and np.allclose(a.as_shot, b.as_shot, atol=1e-4)
    assert same_body(a, b) and is_shot_with(a, "madderfold vat") and is_shot_with(b, "Madderfold Vat")
    assert not is_shot_with(a, "Madderfold Vat II")


def test_names_of_a_camera():
    assert same_camera("MADDERFOLD IMAGING CO., LTD. VAT-ONE", "Madderfold Vat One") and normal("") == ""
    assert not same_camera("Madderfold Vat", "Weldfold Vat") and not same_camera("Vat 1", "Vat 11")
    assert normal("CORPORATION") == "corporation", "a name made of such words only keeps one"


def test_a_profile_finds_its_camera_by_another_name():
    profile = SimpleNamespace(name="p", camera="Madderfold Vat", for_pictures=False)
    check_camera(profile, "MADDERFOLD CORP. VAT")  # type: ignore[arg-type]
    with pytest.raises(BadProfile, match="was made for"):
        check_camera(profile, "Madderfold Vat II")  # type: ignore[arg-type]


def test_what_a_raw_file_holds_is_told(chart_dng, tmp_path):
    import exiv2

    path = tmp_path / "a.dng"
    path.write_bytes(chart_dng.read_bytes())
    parts = contents_of(path).parts
    assert {p.kind for p in parts} == {PartKind.METADATA} and look_at(path).facts.also == ""
    image = exiv2.ImageFactory.open(str(path))
    image.readMetadata()
    exif = image.exifData()
    exif["Exif.Photo.MakerNote"] = b"MADDERFOLD\0\0 of the vat".ljust(1200, b".")
    image.setExifData(exif)
    image.writeMetadata()
    assert look_at(path).facts.also == "1 KB of maker's notes"


def _by_library(monkeypatch, path):
    with monkeypatch.context() as m:
        m.setattr(raw, "_told_by_tags", lambda *found: None)
        return raw.read_facts(path)


@pytest.mark.parametrize(
    ("white", "neutral"),
    [((WHITE,), (1, 2, 1, 1, 2, 3)), ((16000,), (4, 10, 10, 10, 7, 10)), ((WHITE,), (3, 10, 9, 10, 11, 10))],
)
def test_the_facts_of_a_plain_dng_are_read_without_its_mosaic_and_are_those_of_the_library(
    tmp_path, monkeypatch, white, neutral
):
    tags = [(33421, 3, 2, (2, 2), True), (33422, 1, 4, b"\0\1\1\2", True), (50717, 4, len(white), white, True)]
    path = dng(tmp_path / "a.dng", np.full((HEIGHT, WIDTH), 800, np.uint16), 32803, *tags, (50728, 5, 3, neutral, True))
    known = _by_library(monkeypatch, path)
    monkeypatch.setattr(raw, "_told_by_libraw", lambda opened: pytest.fail("the mosaic was read"))
    found = raw.read_facts(path)
    assert (found.bits, found.width, found.height) == (known.bits, known.width, known.height)
    np.testing.assert_allclose(found.as_shot, known.as_shot, rtol=1e-6)


@pytest.mark.parametrize(
    "tag",
    [
        (50727, 5, 3, (2, 1, 1, 1, 1, 1), True),  # AnalogBalance
        (50712, 3, 4, (0, 100, 1000, 4095), True),  # LinearizationTable
        (50717, 4, 4, (WHITE, WHITE, 4000, WHITE), True),  # a white level of its own for each place
    ],
)
def test_what_the_tags_alone_do_not_settle_is_left_to_the_library(tmp_path, monkeypatch, tag):
    plain = [t for t in ((50717, 4, 1, (WHITE,), True),) if t[0] != tag[0]]
    tags = [(33421, 3, 2, (2, 2), True), (33422, 1, 4, b"\0\1\1\2", True), *plain]
    path = dng(tmp_path / "a.dng", np.full((HEIGHT, WIDTH), 800, np.uint16), 32803, *tags, tag)
    asked = []
    library = raw._told_by_libraw
    monkeypatch.setattr(raw, "_told_by_libraw", lambda opened: asked.append(path) or library(opened))
    raw.read_facts(path)
    assert asked == [path]


def test_a_plain_dng_that_was_cut_short_is_told_by_its_strips(tmp_path):
    tags = [(33421, 3, 2, (2, 2), True), (33422, 1, 4, b"\0\1\1\2", True), (50717, 4, 1, (WHITE,), True)]
    path = dng(tmp_path / "a.dng", np.full((HEIGHT, WIDTH), 800, np.uint16), 32803, *tags)
    path.write_bytes(path.read_bytes()[:-2])
    with pytest.raises(UnreadableFile, match="cut short"):
        raw.read_facts(path)
