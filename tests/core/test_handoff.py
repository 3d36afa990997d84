"""Hand-off: written whole, tagged, checked against independent readers, and checks that can fail."""

import os
from dataclasses import replace
from io import BytesIO

import exiv2
import numpy as np
import pytest
from PIL import Image, ImageCms

from velkin.core.cameraprofiles.fit import FitRequest, fit
from velkin.core.cameraprofiles.matrices import built_in
from velkin.core.charts.built_in import iso24
from velkin.core.charts.read import read
from velkin.core.charts.reading_job import read_chart
from velkin.core.errors import NotSupported, OutputFailed, OutputRefused
from velkin.core.files.raw import read_facts
from velkin.core.handoff.check import check_jpeg
from velkin.core.handoff.destination import web_srgb
from velkin.core.handoff.jobs import jobs_for
from velkin.core.handoff.run import Job, run
from velkin.core.handoff.write import fitted_size, hand_off_frame
from velkin.core.icc.transform import to_lab
from velkin.core.icc.write import matrix_profile
from velkin.core.path import ColourPath, built_in_stage, profile_stage
from velkin.core.shoot.shoot import Shoot
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spaces.rgb import OPRGB, SRGB
from velkin.core.spectra import Illuminant
from velkin.sim.lights import north_window

WEB = replace(web_srgb(), long_edge=600)


def path_of(chart_dng):
    return ColourPath(built_in_stage(read_facts(chart_dng)))


def test_written_file_is_read_by_three_independent_readers(chart_dng, tmp_path):
    out = tmp_path / "a.jpg"
    written = hand_off_frame(chart_dng, path_of(chart_dng), WEB, out)
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


def test_patches_in_the_written_file_are_the_references(chart_dng, tmp_path):
    chart, facts = iso24(), read_facts(chart_dng)
    kept = read_chart(chart_dng, chart)
    profile = fit(FitRequest(kept.reading, chart, facts.unique, built_in(facts))).of("auto")
    path = ColourPath(profile_stage(profile, facts), float(np.log2(profile.exposure)))
    hand_off_frame(chart_dng, path, replace(WEB, long_edge=0), tmp_path / "a.jpg")
    with Image.open(tmp_path / "a.jpg") as picture:
        embedded, coded = picture.info["icc_profile"], np.asarray(picture).astype(np.float32) / 255
    patches = read(coded, np.array(kept.reading.corners), chart).rgb()
    reference = chart.reference(Illuminant("", north_window().power))
    held = np.all(reference @ SRGB.from_xyz.T >= 0, axis=1)
    difference = ciede2000(to_lab(patches, embedded, "rgb"), xyz_to_lab(reference))[held]
    assert difference.mean() < 1.0
    assert difference.max() < 2.2


def test_a_file_that_is_wrong_fails_its_check(tmp_path):
    meant = np.random.default_rng(1).integers(60, 190, (64, 96, 3)).astype(np.uint8)
    meant = np.repeat(np.repeat(meant[::16, ::16], 16, 0), 16, 1)
    profile = matrix_profile(SRGB)

    def check(pixels, **options):
        Image.fromarray(pixels).save(tmp_path / "x.jpg", "JPEG", quality=95, subsampling=0, **options)
        return check_jpeg(tmp_path / "x.jpg", meant, SRGB, profile)

    exif = Image.Exif()
    exif.get_ifd(0x8769)[0xA001] = 1
    assert check(meant, icc_profile=profile, exif=exif).ok
    assert "no profile embedded" in check(meant, exif=exif).reason()
    assert "opRGB, not sRGB" in check(meant, icc_profile=matrix_profile(OPRGB), exif=exif).reason()
    assert "Exif" in check(meant, icc_profile=profile).reason() or "exif" in check(meant, icc_profile=profile).reason()
    assert "instead of" in check(meant[:32], icc_profile=profile, exif=exif).reason()
    shifted = np.clip(meant.astype(int) + [14, 0, 0], 0, 255).astype(np.uint8)
    assert "colours differ" in check(shifted, icc_profile=profile, exif=exif).reason()
    (tmp_path / "x.jpg").write_bytes(b"\xff\xd8broken")
    assert "cannot be read back" in check_jpeg(tmp_path / "x.jpg", meant, SRGB, profile).reason()


def test_existing_files_and_bad_folders_are_refused(chart_dng, tmp_path):
    out = tmp_path / "a.jpg"
    out.write_bytes(b"mine")
    with pytest.raises(OutputRefused):
        hand_off_frame(chart_dng, path_of(chart_dng), WEB, out)
    assert out.read_bytes() == b"mine"
    with pytest.raises(OutputFailed):
        hand_off_frame(chart_dng, path_of(chart_dng), WEB, tmp_path / "no" / "a.jpg")


def test_a_run_goes_on_past_bad_files_and_stops_when_cancelled(chart_dng, tmp_path):
    path = path_of(chart_dng)
    gone = Job(1, "gone", tmp_path / "gone.dng", path, WEB, tmp_path / "out" / "gone.jpg")
    good = [Job(i, f"f{i}", chart_dng, path, WEB, tmp_path / "out" / f"f{i}.jpg") for i in range(2, 5)]
    blocked = Job(9, "blocked", chart_dng, path, WEB, chart_dng / "x" / "blocked.jpg")
    done = {d.job.name: d for d in run([gone, *good, blocked])}
    assert "gone.dng" in done["gone"].error
    assert "folder cannot be made" in done["blocked"].error
    assert all(done[j.name].ok for j in good)
    assert sorted(p.name for p in (tmp_path / "out").iterdir()) == ["f2.jpg", "f3.jpg", "f4.jpg"]
    finished = list(run([replace(j, out=tmp_path / "later" / j.out.name) for j in good], cancelled=lambda: True))
    assert finished == []


def test_names_do_not_collide_and_do_not_escape(demo_shoot, tmp_path):
    shoot = Shoot.open(demo_shoot)
    try:
        d = replace(shoot.state.destinations[0], pattern="same", folder=str(tmp_path / "out"))
        names = [j.out.name for j in jobs_for(shoot, shoot.state.order()[:3], (d,))]
        assert names == ["same.jpg", "same-2.jpg", "same-3.jpg"]
        for pattern in ("../{name}", "/etc/{name}", "", ".{name}", "a" * 300, "{name", "{0}", "{name.x}"):
            with pytest.raises(NotSupported):
                jobs_for(shoot, shoot.state.order()[:1], (replace(d, pattern=pattern),))
    finally:
        shoot.close()


@pytest.mark.parametrize(
    ("size", "edge", "expected"),
    [((4000, 3000), 2048, (2048, 1536)), ((800, 600), 2048, (800, 600)), ((3000, 2), 16, (16, 1)), ((9, 9), 0, (9, 9))],
)
def test_sizes_are_fitted_and_never_enlarged(size, edge, expected):
    assert fitted_size(*size, edge) == expected


def test_a_read_only_folder_is_said(chart_dng, tmp_path):
    if os.geteuid() == 0:
        pytest.skip("root writes everywhere")
    folder = tmp_path / "locked"
    folder.mkdir(mode=0o500)
    with pytest.raises(OutputFailed, match="Permission denied"):
        hand_off_frame(chart_dng, path_of(chart_dng), WEB, folder / "a.jpg")
