"""Hand-off: written whole, tagged, checked against independent readers, and checks that can fail."""

import os
from dataclasses import replace
from io import BytesIO

import exiv2
import numpy as np
import pytest
import tifffile
from PIL import Image, ImageCms

from velkin.core.cameraprofiles.fit import FitRequest, fit
from velkin.core.cameraprofiles.matrices import built_in
from velkin.core.charts.built_in import iso24
from velkin.core.charts.read import read
from velkin.core.charts.reading_job import read_chart
from velkin.core.conversion.conversion import Conversion
from velkin.core.conversion.light import carried
from velkin.core.conversion.outside import measure_outside
from velkin.core.cores import cores_here
from velkin.core.destinations.destination import FileFormat
from velkin.core.destinations.sizing import EXACT, PRINT, WHITE, Size, long_edge
from velkin.core.destinations.starters import STARTERS, web_srgb
from velkin.core.errors import NotSupported, OutputFailed, OutputRefused
from velkin.core.files import raw
from velkin.core.files.encode import encode_numbers
from velkin.core.files.metadata_policy import ALL, NONE, RIGHTS, MetadataPolicy, broken_policy
from velkin.core.files.picture import Picture, decode_picture
from velkin.core.files.raw import read_facts
from velkin.core.handoff import run as handoff_run
from velkin.core.handoff.check import check_file, decoded
from velkin.core.handoff.jobs import Job, plan_for
from velkin.core.handoff.proof_blocks import ProofBlocks
from velkin.core.handoff.rendering import AtDestination, at_destination
from velkin.core.handoff.rows import sharpened
from velkin.core.handoff.run import Control, Pace, run
from velkin.core.handoff.write import SET_ASIDE, hand_off_frame
from velkin.core.icc.space import plain_ink, profile_of, space_of
from velkin.core.icc.transform import Intent, device_values, to_lab
from velkin.core.icc.write import matrix_profile
from velkin.core.path import path_of
from velkin.core.render import to_working
from velkin.core.shoot.shoot import Shoot
from velkin.core.sources import Levels
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spaces.rgb import OPRGB, ROMM, SRGB
from velkin.core.spectra import Illuminant
from velkin.core.stages.camera import built_in_stage, profile_stage
from velkin.core.stages.source import PictureSource
from velkin.sim.lights import north_window
from velkin.sim.press import press_profile
from velkin.sim.print_room import press_space

WEB = replace(web_srgb(), size=long_edge(600))


def levels(path):
    return Levels(raw.levels(path))


def toward(chart_dng, space=SRGB, **more):
    return path_of(built_in_stage(read_facts(chart_dng)), ROMM, space).led_to(space, **more)


def hand_off(chart_dng, out, destination=WEB, path=None, **more):
    path = path or toward(chart_dng)
    return hand_off_frame(chart_dng, lambda: levels(chart_dng), path, destination, out, **more)


# ---- files as others read them ------------------------------------------------------------------------------------


def test_written_file_is_read_by_three_independent_readers(chart_dng, tmp_path):
    out = tmp_path / "a.jpg"
    written = hand_off(chart_dng, out, replace(WEB, metadata=MetadataPolicy(ALL)))
    assert written.check.ok, written.check.reason()
    with Image.open(out) as picture:
        assert (picture.mode, picture.size) == ("RGB", (600, 400))
        embedded = picture.info["icc_profile"]
    profile = ImageCms.ImageCmsProfile(BytesIO(embedded))
    assert ImageCms.getProfileDescription(profile).strip() == "sRGB"
    image = exiv2.ImageFactory.open(str(out))
    image.readMetadata()
    assert image.exifData()["Exif.Photo.ColorSpace"].toString() == "1"
    assert image.exifData()["Exif.Image.Model"].toString() == "Velkin Studio One"
    assert image.iccProfileDefined()


PRESS = press_space()
MATRIX = [
    *((kind, 8, space) for kind in ("jpeg", "png", "tiff", "webp", "avif", "jxl") for space in (SRGB, OPRGB)),
    *((kind, 16, ROMM) for kind in ("png", "tiff", "avif")),
    *((kind, bits, PRESS) for kind, bits in (("jpeg", 8), ("tiff", 8), ("tiff", 16))),
]


@pytest.mark.parametrize(("kind", "bits", "space"), MATRIX)
def test_every_format_holds_its_tag_and_its_colours(chart_dng, tmp_path, kind, bits, space):
    d = replace(WEB, file=FileFormat(kind, bits, quality=95), icc_version=2)
    out = tmp_path / ("a" + d.file_name(_named())[-5:].lstrip("a"))
    path = toward(chart_dng, space)
    written = hand_off(chart_dng, out, d, path)
    assert written.check.ok, written.check.reason()
    picture = decode_picture(out)
    assert picture.model == space.model and picture.numbers.dtype == (np.uint8 if bits == 8 else np.uint16)
    # by LittleCMS, through the profile that Velkin meant: patches' colours are those of the working picture, but for the gamut
    meant = at_destination(levels(chart_dng), path, d).codes
    scale = np.iinfo(meant.dtype).max
    seen = [
        to_lab(p[::7, ::7].reshape(-1, p.shape[2]) / scale, profile_of(space, 2), space.model) for p in (picture.numbers, meant)
    ]
    assert ciede2000(*seen).mean() < (0.01 if d.file.lossless else 2.0)


def _named():
    from velkin.core.destinations.naming import NameFacts

    return NameFacts("a", 1)


def test_patches_in_the_written_file_are_the_references(chart_dng, tmp_path):
    chart, facts = iso24(), read_facts(chart_dng)
    kept = read_chart(chart_dng, chart)
    profile = fit(FitRequest(kept.reading, chart, facts.unique, built_in(facts))).of("auto")
    path = path_of(profile_stage(profile, facts), ROMM, SRGB, exposure=float(np.log2(profile.exposure)))
    hand_off(chart_dng, tmp_path / "a.jpg", replace(WEB, size=long_edge(0)), path)
    with Image.open(tmp_path / "a.jpg") as picture:
        embedded, coded = picture.info["icc_profile"], np.asarray(picture).astype(np.float32) / 255
    patches = read(coded, np.array(kept.reading.corners), chart).rgb()
    reference = chart.reference(Illuminant("", north_window().power))
    held = np.all(reference @ SRGB.from_xyz.T >= 0, axis=1)
    difference = ciede2000(to_lab(patches, embedded, "rgb"), xyz_to_lab(reference))[held]
    assert difference.mean() < 1.0
    assert difference.max() < 2.2


# ---- the check ----------------------------------------------------------------------------------------------------


@pytest.fixture(scope="module")
def meant(chart_dng) -> AtDestination:
    return at_destination(levels(chart_dng), toward(chart_dng), WEB)


def test_a_file_that_is_wrong_fails_its_check(meant, tmp_path):
    d = replace(WEB, metadata=MetadataPolicy(NONE, False))
    path = tmp_path / "x.jpg"

    def reason(pixels, **options):
        Image.fromarray(pixels).save(path, "JPEG", quality=95, subsampling=0, **options)
        return check_file(path, meant, d, SRGB).reason()

    exif = Image.Exif()
    exif.get_ifd(0x8769)[0xA001] = 1
    profile = matrix_profile(SRGB)
    assert reason(meant.codes, icc_profile=profile, exif=exif) == ""
    assert "no profile embedded" in reason(meant.codes, exif=exif)
    assert "opRGB, not sRGB" in reason(meant.codes, icc_profile=matrix_profile(OPRGB), exif=exif)
    assert "not the one that was written" in reason(meant.codes, icc_profile=matrix_profile(SRGB, 2), exif=exif)
    assert "Exif colour space says None" in reason(meant.codes, icc_profile=profile)
    assert "instead of" in reason(meant.codes[:32], icc_profile=profile, exif=exif)
    assert "gray instead of 8-bit RGB" in reason(meant.codes[..., 0], icc_profile=profile, exif=exif)
    shifted = np.clip(meant.codes.astype(int) + [30, 0, 0], 0, 255).astype(np.uint8)
    assert "compression" in reason(shifted, icc_profile=profile, exif=exif)
    exif[315] = "somebody"
    assert "Exif.Image.Artist should not be there" in reason(meant.codes, icc_profile=profile, exif=exif)
    path.write_bytes(b"\xff\xd8broken")
    assert "cannot be read back" in check_file(path, meant, d, SRGB).reason()


def test_a_file_without_loss_is_right_to_the_last_sample_and_is_held_to_the_proof(chart_dng, tmp_path):
    d = replace(WEB, file=FileFormat("tiff", 16), metadata=MetadataPolicy(ALL))
    meant = at_destination(levels(chart_dng), toward(chart_dng, ROMM), d)

    def reason(codes, blocks=meant.proof):
        data = encode_numbers(Picture(codes, None, "rgb"), "tiff", profile_of(ROMM), family=ROMM.id, source=chart_dng).data
        (tmp_path / "x.tif").write_bytes(data)
        return check_file(tmp_path / "x.tif", replace(meant, proof=blocks), d, ROMM).reason()

    assert reason(meant.codes) == ""
    one = meant.codes.copy()
    one[200, 300, 1] += 1
    assert reason(one) == "samples: samples differ from those meant"
    # the numbers are as they were meant, but were meant wrong: the proof tells
    off = replace(meant.proof, lab=meant.proof.lab + np.float32([0, 3, 0]))
    assert "differ from the proof by ΔE" in reason(meant.codes, off)


def test_what_fails_its_check_is_kept_aside_with_the_reason(chart_dng, tmp_path, monkeypatch):
    from velkin.core.handoff import write

    def spoilt(meant: AtDestination) -> AtDestination:
        return replace(meant, proof=ProofBlocks(meant.proof.places, meant.proof.side, meant.proof.lab + 20))

    monkeypatch.setattr(write, "at_destination", lambda *a: spoilt(at_destination(*a)))
    for _ in range(2):
        written = hand_off(chart_dng, tmp_path / "a.jpg")
        assert not written.check.ok and "proof" in written.check.reason()
    assert sorted(p.name for p in tmp_path.iterdir()) == [SET_ASIDE]
    aside = tmp_path / SET_ASIDE
    assert sorted(p.name for p in aside.iterdir()) == ["a-2.jpg", "a-2.jpg.txt", "a.jpg", "a.jpg.txt"]
    assert "FAILED  Colours" in (aside / "a.jpg.txt").read_text()
    (aside / "a.jpg").unlink()
    (aside / "a.jpg.txt").write_text("what somebody wrote under it")
    hand_off(chart_dng, tmp_path / "a.jpg")
    assert (aside / "a.jpg.txt").read_text() == "what somebody wrote under it"
    assert (aside / "a-3.jpg").exists() and (aside / "a-3.jpg.txt").exists()


@pytest.mark.parametrize(("keep", "location"), [(ALL, True), (ALL, False), (RIGHTS, False), (NONE, False)])
@pytest.mark.parametrize("kind", ["jpeg", "tiff", "webp", "jxl"])
def test_metadata_go_as_far_as_the_policy(tmp_path, keep, location, kind):
    source = tmp_path / "source.jpg"
    Image.new("RGB", (64, 48), (90, 120, 60)).save(source, icc_profile=matrix_profile(SRGB))
    image = exiv2.ImageFactory.open(str(source))
    image.readMetadata()
    exif, xmp = image.exifData(), image.xmpData()
    exif["Exif.Image.Artist"], exif["Exif.Image.Copyright"], exif["Exif.Image.Make"] = "A. Weaver", "(c) Dyeworks", "Velkin"
    exif["Exif.GPSInfo.GPSLatitudeRef"], exif["Exif.GPSInfo.GPSLatitude"] = "N", "52/1 30/1 0/1"
    xmp["Xmp.photoshop.City"], xmp["Xmp.dc.rights"] = "Madderfold", "all"
    image.setExifData(exif)
    image.setXmpData(xmp)
    image.writeMetadata()
    policy = MetadataPolicy(keep, location)
    d = replace(WEB, file=FileFormat(kind), metadata=policy, size=long_edge(0))
    path = path_of(PictureSource(SRGB), ROMM, SRGB)
    out = tmp_path / f"out.{kind}"
    written = hand_off_frame(source, lambda: Levels(decode_picture(source).numbers), path, d, out)
    assert written.check.ok, written.check.reason()
    image = exiv2.ImageFactory.open(str(out))
    image.readMetadata()
    keys = {x.key() for x in (*image.exifData(), *image.xmpData())}
    assert ("Exif.Image.Artist" in keys) == (keep != NONE) and ("Xmp.dc.rights" in keys) == (keep != NONE)
    assert ("Exif.Image.Make" in keys) == (keep == ALL)
    place = {"Exif.GPSInfo.GPSLatitude", "Xmp.photoshop.City"} & keys
    assert len(place) == (2 if location else 0)
    assert broken_policy(out, policy) == [] and (keep == ALL and location) != bool(broken_policy(source, policy))


# ---- sizes, sharpening, numbers that are kept ---------------------------------------------------------------------


def test_in_bands_and_as_a_whole_the_numbers_are_the_same(chart_dng):
    d = replace(WEB, size=long_edge(0), file=FileFormat("tiff", 8))
    path = toward(chart_dng)
    there = carried(to_working(raw.levels(chart_dng).astype(np.float32) / 65535, path), path.working, SRGB)
    found = at_destination(levels(chart_dng), path, d)
    exact = SRGB.encode(np.clip(there, 0, 1)) * 255
    assert np.abs(found.codes - exact).max() <= 1.0 + 1e-3, "dithered within a code"
    assert abs(float((found.codes - exact).mean())) < 0.01
    assert found.after.share == pytest.approx(measure_outside(there, SRGB).share, abs=1e-4)
    assert not found.kept and found.before == found.after


@pytest.mark.parametrize(
    "size", [long_edge(257), Size(EXACT, width=300, height=300), Size(PRINT, print_width=6, print_height=4, ppi=200)]
)
def test_pictures_are_resized_in_linear_light(size):
    stripes = np.zeros((512, 768, 3), dtype=np.uint8)
    stripes[:, ::2] = 255
    d = replace(WEB, size=size, file=FileFormat("tiff", 16))
    found = at_destination(Levels(stripes), path_of(PictureSource(SRGB), ROMM, SRGB), d).codes
    middle = float(SRGB.decode(np.array([[found[40:-40, 40:-40].mean() / 65535] * 3]))[0, 0])
    assert middle == pytest.approx(0.5, abs=0.03), "half of the light, which encoded is 188, not 128"


def test_exact_sizes_are_filled_or_stand_on_white():
    red = np.full((400, 800, 3), (200, 30, 30), dtype=np.uint8)
    path = path_of(PictureSource(SRGB), ROMM, SRGB)
    cut = at_destination(Levels(red), path, replace(WEB, size=Size(EXACT, width=300, height=300))).codes
    assert cut.shape == (300, 300, 3) and cut.min() >= 20 and np.ptp(cut[..., 0].astype(int)) <= 2
    white = at_destination(Levels(red), path, replace(WEB, size=Size(EXACT, width=300, height=300, fill=WHITE)))
    assert white.codes.shape == (300, 300, 3)
    assert np.all(white.codes[:70] == 255) and np.all(white.codes[-70:] == 255) and np.all(white.codes[150, :, 1] < 60)
    assert white.proof.places[:, 1].min() >= 75, "what is compared with the proof lies on the picture"
    ink = at_destination(Levels(red), path.led_to(PRESS), replace(WEB, size=Size(EXACT, width=300, height=300, fill=WHITE)))
    assert np.all(ink.codes[:70] == 0), "no ink"


def test_numbers_that_are_right_already_are_kept(tmp_path):
    codes = np.random.default_rng(3).integers(0, 256, (90, 120, 3)).astype(np.uint8)
    path = path_of(PictureSource(SRGB), ROMM, SRGB)
    d = replace(WEB, file=FileFormat("png"), size=long_edge(0))
    found = at_destination(Levels(codes), path, d)
    assert found.kept and found.codes is codes and found.after.outside == 0
    ink = np.random.default_rng(4).integers(0, 256, (90, 120, 4)).astype(np.uint8)
    found = at_destination(
        Levels(ink), path_of(PictureSource(PRESS), ROMM, PRESS), replace(d, file=FileFormat("tiff"), size=long_edge(60))
    )
    assert found.codes.shape == (45, 60, 4) and not found.kept
    assert np.abs(found.codes.astype(int) - ink.reshape(45, 2, 60, 2, 4).mean(axis=(1, 3))).max() <= 1.01, "not separated anew"
    (tmp_path / "s.jpg").write_bytes(b"")
    written = hand_off_frame(tmp_path / "s.jpg", lambda: Levels(codes), path, d, tmp_path / "a.png")
    assert written.check.ok, written.check.reason()
    assert np.array_equal(decoded(tmp_path / "a.png", "png"), codes)


def test_sharpening_keeps_hue_and_stays_within_the_neighbours():
    rng = np.random.default_rng(5)
    linear = (rng.random((64, 64, 3)) * np.array([0.5, 0.3, 0.1])).astype(np.float32)
    out = sharpened(linear, ROMM, 0.9)
    light, before = (x @ ROMM.to_xyz[1].astype(np.float32) for x in (out, linear))
    assert before.min() * 0.999 <= light.min() and light.max() <= before.max() * 1.001
    assert np.std(np.cbrt(light)) > np.std(np.cbrt(before))
    ratio = (out / linear)[linear.min(axis=2) > 1e-3]
    assert np.ptp(ratio, axis=1).max() < 1e-3, "each pixel is scaled as a whole"
    flat = np.full((20, 20, 3), 0.2, dtype=np.float32)
    assert np.allclose(sharpened(flat, ROMM, 0.9), flat, atol=1e-6)


@pytest.mark.parametrize("intent", list(Intent))
def test_intents_and_black_point_of_a_press_are_those_of_the_destination(chart_dng, intent):
    d = replace(WEB, file=FileFormat("tiff", 16), size=long_edge(60))
    path = toward(chart_dng, PRESS, intent=intent, black_point=False)
    found = at_destination(levels(chart_dng), path, d).codes / 65535
    source = at_destination(levels(chart_dng), toward(chart_dng, ROMM), d).codes.reshape(-1, 3) / 65535
    truth = device_values(source, profile_of(ROMM), "rgb", PRESS.icc, "cmyk", intent=intent, black_point=False)
    shown = [to_lab(v, PRESS.icc, "cmyk") for v in (found.reshape(-1, 4), truth)]
    assert ciede2000(*shown).mean() < 0.1


def test_plain_ink_has_the_black_that_its_inks_make():
    """The colours an unexplained CMYK file is shown in: light taken away by ink, without a shifted black."""
    from velkin.core.conversion.light import converted

    ink = np.array([[0, 0, 0, 0], [0.2, 0.1, 0.5, 0.1], [1, 0, 0, 0], [0, 0, 0, 1], [0.5, 0.4, 0.4, 0.3]], dtype=np.float32)
    wanted = (1 - ink[:, :3]) * (1 - ink[:, 3:])
    assert np.abs(converted(ink, Conversion(plain_ink(), SRGB)) - wanted).max() < 0.04


# ---- runs ---------------------------------------------------------------------------------------------------------


def test_existing_files_and_bad_folders_are_refused(chart_dng, tmp_path):
    out = tmp_path / "a.jpg"
    out.write_bytes(b"mine")
    with pytest.raises(OutputRefused):
        hand_off(chart_dng, out)
    assert out.read_bytes() == b"mine"
    with pytest.raises(OutputFailed):
        hand_off(chart_dng, tmp_path / "no" / "a.jpg")
    assert hand_off(chart_dng, out, replace=True).check.ok
    assert out.read_bytes() != b"mine" and [p.name for p in tmp_path.iterdir()] == ["a.jpg"]


def job(chart_dng, frame, out, **more):
    return Job(frame, f"f{frame}", more.pop("source", chart_dng), toward(chart_dng), WEB, out, pixels=540000, **more)


def test_a_run_goes_on_past_bad_files_and_stops_when_cancelled(chart_dng, tmp_path):
    gone = job(chart_dng, 1, tmp_path / "out" / "gone.jpg", source=tmp_path / "gone.dng")
    good = [job(chart_dng, i, tmp_path / "out" / f"f{i}.jpg") for i in range(2, 5)]
    blocked = job(chart_dng, 9, chart_dng / "x" / "blocked.jpg")
    changed = job(chart_dng, 10, tmp_path / "out" / "changed.jpg", digest="another")
    stages = []
    done = {d.job.frame: d for d in run([gone, *good, blocked, changed], told=lambda j, s: stages.append((j.frame, s)))}
    assert "gone.dng" in done[1].error
    assert "folder cannot be made" in done[9].error
    assert "changed since it came" in done[10].error
    assert all(done[j.frame].ok for j in good)
    assert [s for f, s in stages if f == 3] == ["decoding", "rendering", "writing", "checking"]
    assert sorted(p.name for p in (tmp_path / "out").iterdir()) == ["f2.jpg", "f3.jpg", "f4.jpg"]
    control = Control()
    control.cancel()
    assert list(run([replace(j, out=tmp_path / "later" / j.out.name) for j in good], control)) == []
    assert not (tmp_path / "later").exists()


def test_a_pause_holds_the_run_and_time_left_does_not_count_it(chart_dng, tmp_path):
    import threading
    import time

    control, seen = Control(), []
    jobs = [job(chart_dng, i, tmp_path / f"f{i}.jpg") for i in range(12)]
    worker = threading.Thread(target=lambda: seen.extend(run(jobs, control)))
    control.pause()
    worker.start()
    time.sleep(0.3)
    assert seen == [] and control.paused and not list(tmp_path.iterdir())
    control.go_on()
    worker.join(60)
    assert len(seen) == 12 and all(d.ok for d in seen)
    clock = iter([0.0, 10.0, 10.0, 100.0, 110.0])
    pace = Pace(3, lambda: next(clock))
    assert pace.left() is None
    pace.finished()
    pace.pause()
    pace.go_on()
    assert pace.left() == pytest.approx(40.0), "20 seconds for one file, two are left"


def test_a_full_disk_fails_files_and_nothing_is_left_half_written(chart_dng, tmp_path, monkeypatch):
    from velkin.core.handoff import write

    def full(*_, **__):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(write, "write_numbers", full)
    done = list(run([job(chart_dng, i, tmp_path / f"f{i}.jpg") for i in range(4)]))
    assert len(done) == 4 and all("disk is full" in d.error for d in done), [d.error for d in done]
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize(("memory", "share"), [(10**12, 1), (1, 2)], ids=["side by side", "one at a time"])
def test_frames_that_must_go_one_at_a_time_have_all_cores(chart_dng, tmp_path, monkeypatch, memory, share):
    monkeypatch.setattr(os, "cpu_count", lambda: 2)
    monkeypatch.setattr(handoff_run, "MEMORY", memory)
    shares = []
    done = run([job(chart_dng, i, tmp_path / f"f{i}.jpg") for i in range(3)], told=lambda *_: shares.append(cores_here()))
    assert all(d.ok for d in done) and set(shares) == {share}


def test_a_folder_that_vanishes_is_not_made_again_and_the_rest_goes_on_when_it_is_back(chart_dng, tmp_path, monkeypatch):
    import shutil

    folder, other = tmp_path / "stick", tmp_path / "disk"

    def told(begun, stage):
        if (begun.frame, stage) == (1, "rendering"):
            shutil.rmtree(folder)
        if (begun.frame, stage) == (3, "rendering"):
            folder.mkdir()

    monkeypatch.setattr(os, "cpu_count", lambda: 1)  # one after the other
    jobs = [job(chart_dng, i, (other if i == 3 else folder) / f"f{i}.jpg") for i in range(5)]
    done = {d.job.frame: d for d in run(jobs, told=told)}
    assert [done[i].ok for i in range(5)] == [True, False, False, True, True]
    assert "No such file" in done[1].error and done[2].error.startswith("not begun")
    assert [p.name for p in folder.iterdir()] == ["f4.jpg"], "what was on it went with it"


def test_names_do_not_collide_and_do_not_escape(demo_shoot, tmp_path):
    shoot = Shoot.open(demo_shoot)
    try:
        frames = shoot.state.order()[:3]
        d = replace(shoot.state.destinations[0], pattern="same", folder=str(tmp_path / "out"))
        names = [j.out.name for j in plan_for(shoot, frames, (d, replace(d, id="b", pattern="SAME"))).jobs]
        assert names == ["same.jpg", "SAME-2.jpg", "same-3.jpg", "SAME-4.jpg", "same-5.jpg", "SAME-6.jpg"]
        for pattern in ("../{name}", "/etc/{name}", "", ".{name}", "a" * 300, "{name", "{0}", "{name.x}"):
            with pytest.raises(NotSupported):
                plan_for(shoot, frames, (replace(d, pattern=pattern),))
    finally:
        shoot.close()


def test_where_a_file_is_there_each_destination_has_its_way(demo_shoot, tmp_path):
    shoot = Shoot.open(demo_shoot)
    try:
        frames = shoot.state.order()[:2]
        d = replace(shoot.state.destinations[0], folder=str(tmp_path))
        (tmp_path / f"{shoot.state.frames[frames[0]].name}.jpg").write_bytes(b"mine")
        first, second = (shoot.state.frames[f].name for f in frames)
        numbered = plan_for(shoot, frames, (replace(d, existing="number"),))
        assert [j.out.name for j in numbered.jobs] == [f"{first}-2.jpg", f"{second}.jpg"] and not numbered.left
        skipping = plan_for(shoot, frames, (replace(d, existing="skip"),))
        assert [j.out.name for j in skipping.jobs] == [f"{second}.jpg"] and skipping.left[0].out.name == f"{first}.jpg"
        replacing = plan_for(shoot, frames, (replace(d, existing="replace"),))
        assert [(j.out.name, j.replace) for j in replacing.jobs] == [(f"{first}.jpg", True), (f"{second}.jpg", True)]
        source = shoot.state.frames[frames[1]].path
        beside = replace(d, existing="replace", folder=str(source.parent), pattern=source.stem)
        linked = source.with_suffix(".jpg")
        linked.symlink_to(source)
        onto = plan_for(shoot, frames[:1], (beside,))
        linked.unlink()
        assert [(j.out.name, j.replace) for j in onto.jobs] == [(f"{source.stem}-2.jpg", False)], "no frame's source"
        refusing = plan_for(shoot, frames[:1], (d,), existing="refuse")
        (done,) = run(refusing.jobs)
        assert "already" in done.error and (tmp_path / f"{first}.jpg").read_bytes() == b"mine"
    finally:
        shoot.close()


def test_a_read_only_folder_is_said(chart_dng, tmp_path):
    if os.geteuid() == 0:
        pytest.skip("root writes everywhere")
    folder = tmp_path / "locked"
    folder.mkdir(mode=0o500)
    with pytest.raises(OutputFailed, match="Permission denied"):
        hand_off(chart_dng, folder / "a.jpg")


@pytest.mark.parametrize("version", [2, 4])
def test_the_profile_is_of_the_version_asked_for(chart_dng, tmp_path, version):
    hand_off(chart_dng, tmp_path / "a.tif", replace(WEB, file=FileFormat("tiff"), icc_version=version))
    with tifffile.TiffFile(tmp_path / "a.tif") as tif:
        icc = tif.pages[0].tags[34675].value
    assert icc[8] == version and space_of(bytes(icc)).family == "srgb"


def test_starters_can_be_written_to_and_say_what_they_are_for():
    for d in STARTERS.values():
        assert d.about.endswith(".") and len(d.about) < 110
        if d.space_id:
            d.check({"srgb": SRGB, "oprgb": OPRGB, "romm": ROMM}[d.space_id])
    assert not STARTERS["web"].metadata.location and STARTERS["archive"].file.bits == 16
    assert STARTERS["print room"].space_id == "" and press_profile(2)[8] == 2
