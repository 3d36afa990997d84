"""Transparent parts: kept where the format holds them, laid over white elsewhere, never filled with what nobody saw."""

from dataclasses import replace

import numpy as np
import pytest
import tifffile
from PIL import Image

from velkin.core.destinations.destination import FileFormat
from velkin.core.destinations.sizing import EXACT, WHITE, Size, long_edge
from velkin.core.destinations.starters import web_srgb
from velkin.core.files.encode import encode_numbers
from velkin.core.files.kinds import SUFFIXES
from velkin.core.files.picture import Picture, decode_picture
from velkin.core.files.transparency import over_white
from velkin.core.handoff.check import check_file
from velkin.core.handoff.copies import CopyWish, write_copy
from velkin.core.handoff.jobs import plan_for
from velkin.core.handoff.preflight import ALPHA, concerns_of
from velkin.core.handoff.rendering import at_destination
from velkin.core.handoff.run import run
from velkin.core.handoff.write import hand_off_frame
from velkin.core.icc.write import matrix_profile
from velkin.core.path import path_of
from velkin.core.shoot.arrivals import look_at
from velkin.core.shoot.shoot import Shoot
from velkin.core.sources import Levels, decode_source, levels_of
from velkin.core.spaces.rgb import OPRGB, ROMM, SRGB
from velkin.core.stages.source import PictureSource
from velkin.core.stages.steps import Convert
from velkin.core.tags.inspect import inspect
from velkin.sim.print_room import press_space

WEB = replace(web_srgb(), size=long_edge(0))
HEIGHT, WIDTH = 96, 144


def cutout(bits=8):
    """A warm ramp that is opaque on the left, fades out in the middle, and hides a garish green on the right."""
    top = 255 if bits == 8 else 65535
    x = np.linspace(0, 1, WIDTH)[None, :] + np.zeros((HEIGHT, 1))
    y = np.linspace(0, 1, HEIGHT)[:, None] + np.zeros((1, WIDTH))
    alpha = np.clip((0.7 - x) / 0.4, 0, 1)
    colours = np.dstack([0.4 + 0.5 * x, 0.3 + 0.2 * y, 0.25 + 0.1 * x])
    colours[alpha == 0] = (0.0, 1.0, 0.0)
    kind = np.uint8 if bits == 8 else np.uint16
    return np.round(colours * top).astype(kind), np.round(alpha * top).astype(kind)


def written(folder, kind, space=SRGB, bits=8, **more):
    colours, alpha = cutout(16)
    source = folder / "cutout.png"
    source.write_bytes(encode_numbers(Picture(*cutout(), "rgb"), "png", matrix_profile(SRGB), family="srgb", source=None).data)
    d = replace(WEB, file=FileFormat(kind, bits), **more)
    out = folder / f"out-{kind}-{space.id}{SUFFIXES[kind]}"
    path = path_of(PictureSource(SRGB), ROMM, space)
    return hand_off_frame(source, lambda: Levels(colours, alpha), path, d, out), out


@pytest.mark.parametrize(
    ("kind", "bits"), [("png", 8), ("png", 16), ("tiff", 8), ("tiff", 16), ("webp", 8), ("avif", 8), ("jxl", 8)]
)
def test_what_the_format_holds_stays_transparent(tmp_path, kind, bits):
    done, out = written(tmp_path, kind, OPRGB, bits)
    assert done.check.ok, done.check.reason()
    assert "Transparency" in {i.about for i in done.check.items}
    found = decode_picture(out)
    assert found.alpha is not None and found.clear and inspect(out).alpha
    top = np.iinfo(found.alpha.dtype).max
    assert np.abs(found.alpha / top - cutout()[1] / 255).max() <= (1.5 / 255 if kind in ("png", "tiff") else 0.03)


@pytest.mark.parametrize(("kind", "space"), [("jpeg", SRGB), ("tiff", press_space())])
def test_elsewhere_it_is_laid_over_white(tmp_path, kind, space):
    done, out = written(tmp_path, kind, space)
    assert done.check.ok, done.check.reason()
    found = decode_picture(out)
    assert found.alpha is None
    right = found.numbers[:, -30:]
    assert np.all(right <= 2) if space.model == "cmyk" else np.all(right >= 253), "nothing of the hidden green"
    if kind == "jpeg":
        seen = np.asarray(Image.open(out)).astype(int)
        ground = Image.new("RGBA", (WIDTH, HEIGHT), "white")
        ground.alpha_composite(Image.open(tmp_path / "cutout.png"))
        assert np.abs(seen - np.asarray(ground.convert("RGB")).astype(int)).mean() < 1.5


def test_it_can_be_laid_over_white_where_the_format_would_hold_it(tmp_path):
    done, out = written(tmp_path, "png")
    assert decode_picture(out).alpha is not None
    d = replace(WEB, file=FileFormat("png", transparency=False))
    meant = at_destination(Levels(*cutout()), path_of(PictureSource(SRGB), ROMM, SRGB), d)
    assert meant.alpha is None and np.all(meant.codes[:, -30:] == 255)
    assert done.check.ok


@pytest.mark.parametrize("size", [long_edge(48), long_edge(300), Size(EXACT, width=60, height=60)])
@pytest.mark.parametrize("space", [SRGB, OPRGB, press_space()])
def test_resized_nothing_hidden_runs_into_what_is_seen(size, space):
    d = replace(WEB, file=FileFormat("png", 16), size=replace(size, enlarge=True))
    meant = at_destination(Levels(*cutout(16)), path_of(PictureSource(SRGB), ROMM, space), d)
    if space.model == "cmyk":
        assert meant.alpha is None
        return
    assert meant.alpha is not None and meant.alpha.shape == meant.codes.shape[:2]
    faint = (meant.alpha > 2000) & (meant.alpha < 20000)
    assert faint.any()
    red, green = (meant.codes[..., c].astype(float)[faint] for c in (0, 1))
    assert np.all(red > 1.15 * green), "the warm ramp, without a green fringe"


def test_what_stands_round_a_picture_of_an_exact_size_covers_nothing():
    d = replace(WEB, file=FileFormat("png"), size=Size(EXACT, width=144, height=144, fill=WHITE))
    colours, alpha = cutout()
    meant = at_destination(Levels(colours, alpha), path_of(PictureSource(SRGB), ROMM, SRGB), d)
    assert np.all(meant.alpha[:20] == 0) and np.all(meant.alpha[24:120, :40] == 255)


def test_colours_that_nobody_sees_are_not_counted_as_outside():
    colours = np.zeros((40, 60, 3), np.uint16)
    colours[..., 1] = 65535
    alpha = np.zeros((40, 60), np.uint16)
    alpha[:, :15] = 65535
    path = path_of(PictureSource(ROMM), ROMM, SRGB)
    d = replace(WEB, file=FileFormat("png"))
    seen = at_destination(Levels(colours, alpha), path, d)
    assert seen.after.pixels == 40 * 15 and seen.after.share == 1.0
    colours[:, :15] = 30000
    assert at_destination(Levels(colours, alpha), path, d).after.share == 0.0


def test_of_large_pictures_a_sample_is_counted_also_where_a_band_shows_nothing(monkeypatch):
    monkeypatch.setattr("velkin.core.handoff.rendering._COUNTED", 1000)
    monkeypatch.setattr("velkin.core.handoff.rendering._SAMPLE", 4000)
    colours = np.zeros((600, 200, 3), np.uint16)
    colours[..., 1] = 65535
    alpha = np.zeros((600, 200), np.uint16)
    path, d = path_of(PictureSource(ROMM), ROMM, SRGB), replace(WEB, file=FileFormat("png"))
    assert at_destination(Levels(colours, alpha), path, d).after.share == 0.0, "nothing is seen at all"
    alpha[300:] = 65535
    found = at_destination(Levels(colours, alpha), path, d).after
    assert 0 < found.pixels < 600 * 200 and found.share == 1.0


def test_alpha_that_came_out_otherwise_fails_the_check(tmp_path):
    _, out = written(tmp_path, "png")
    d = replace(WEB, file=FileFormat("png"))
    meant = at_destination(Levels(*cutout(16)), path_of(PictureSource(SRGB), ROMM, SRGB), d)
    assert check_file(out, meant, d, SRGB).ok
    wrong = meant.alpha.copy()
    wrong[5, 5] ^= 1
    assert "transparency" in check_file(out, replace(meant, alpha=wrong), d, SRGB).reason()
    assert "8-bit RGB with alpha instead of 8-bit RGB" in check_file(out, replace(meant, alpha=None), d, SRGB).reason()
    plain = encode_numbers(Picture(meant.codes, None, "rgb"), "png", matrix_profile(SRGB), family="srgb", source=None).data
    out.write_bytes(plain)
    assert "transparent parts are not" in check_file(out, meant, d, SRGB).reason()


def test_merging_is_done_in_the_pictures_own_numbers():
    colours, alpha = cutout()
    share = alpha[..., None] / 255
    assert np.abs(over_white(Picture(colours, alpha, "rgb")) - (colours * share + 255 * (1 - share))).max() <= 0.51
    ink = np.full((2, 2, 4), 200, np.uint8)
    assert np.all(over_white(Picture(ink, np.zeros((2, 2), np.uint8), "cmyk")) == 0)
    floats = np.full((1, 1, 3), 0.25, np.float32)
    assert over_white(Picture(floats, np.full((1, 1), 0.5, np.float32), "rgb")) == pytest.approx(0.625)
    lab = over_white(Picture(np.zeros((1, 1, 3), np.uint8), np.zeros((1, 1), np.uint8), "lab"))
    assert lab.tolist() == [[[255, 128, 128]]]
    assert over_white(Picture(colours, None, "rgb")) is colours


def test_a_saved_selection_is_no_transparency(tmp_path):
    colours, alpha = cutout()
    both = np.dstack([colours, alpha])
    for name, extra in (("selection", "unspecified"), ("clear", "unassalpha")):
        tifffile.imwrite(
            tmp_path / f"{name}.tif", both, photometric="rgb", extrasamples=[extra], iccprofile=matrix_profile(SRGB)
        )
    selection, clear = tmp_path / "selection.tif", tmp_path / "clear.tif"
    stage = PictureSource(SRGB)
    assert np.array_equal(decode_source(selection, stage), colours) and not inspect(selection).alpha
    assert levels_of(selection, stage).alpha is None and levels_of(clear, stage).alpha is not None
    assert inspect(clear).alpha and np.all(decode_source(clear, stage)[:, -30:] == 255)
    out = tmp_path / "kept.tif"
    write_copy(selection, SRGB, (Convert(OPRGB),), CopyWish(out))
    kept = decode_picture(out)
    assert np.array_equal(kept.alpha, alpha) and not kept.clear
    write_copy(selection, SRGB, (Convert(OPRGB),), CopyWish(tmp_path / "flat.jpg"))
    assert decode_picture(tmp_path / "flat.jpg").numbers[:, -20:, 1].min() > 200, "the green is seen, so it stays"


def test_a_converted_copy_as_jpeg_is_merged_first(tmp_path):
    source = tmp_path / "a.png"
    source.write_bytes(encode_numbers(Picture(*cutout(), "rgb"), "png", matrix_profile(SRGB), family="srgb", source=None).data)
    done = write_copy(source, SRGB, (Convert(OPRGB),), CopyWish(tmp_path / "b.jpg"))
    assert done.merged and decode_picture(tmp_path / "b.jpg").numbers[:, -30:].min() >= 252
    assert not write_copy(source, SRGB, (Convert(OPRGB),), CopyWish(tmp_path / "b.tif")).merged


def test_what_is_laid_over_white_is_named_before_the_start(tmp_path):
    source = tmp_path / "cutout.png"
    source.write_bytes(encode_numbers(Picture(*cutout(), "rgb"), "png", matrix_profile(SRGB), family="srgb", source=None).data)
    shoot = Shoot.create(tmp_path / "s.velkin", "s")
    (frame,) = shoot.frames.add_frames([look_at(source)])
    jpeg = replace(shoot.state.destinations[0], folder=str(tmp_path / "out"), size=long_edge(0))
    png = replace(jpeg, id="png", name="Shop", file=FileFormat("png"))
    plan = plan_for(shoot, [frame], [jpeg, png])
    (found,) = (c for c in concerns_of(shoot.state, plan) if c.kind == ALPHA)
    assert "cutout has transparent parts" in found.what and jpeg.name in found.what and "over white" in found.then
    results = {d.job.destination.id: d for d in run(plan.jobs)}
    assert all(d.ok for d in results.values())
    assert decode_picture(results["png"].job.out).alpha is not None
    assert np.array_equal(decode_picture(results["png"].job.out).numbers, cutout()[0]), "its own numbers"
    shoot.close()
