"""The command line's `fit` and `render` with every kind of profile, as outside checks use them."""

import json
import shlex

import numpy as np
import pytest
import tifffile

from velkin.core.charts.built_in import iso24
from velkin.core.charts.reading_job import read_chart
from velkin.core.charts.refining import homography, project
from velkin.core.files.picture import decode
from velkin.core.icc.transform import to_lab
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spaces.rgb import ROMM, SRGB
from velkin.core.spectra import parse_light
from velkin.sim.camera import field_two
from velkin.sim.lights import StudioLight

from .studio import shoot_chart
from .test_cli import call

CHART = iso24()


@pytest.fixture(scope="module")
def two_lights(tmp_path_factory):
    folder = tmp_path_factory.mktemp("two")
    paths = {k: folder / f"{k}.dng" for k in ("3000", "6000")}
    for kelvin, path in paths.items():
        shoot_chart(path, light=StudioLight(kelvin, parse_light(kelvin).power), clutter=False)
    return paths


@pytest.fixture(scope="module")
def all_formats(two_lights, tmp_path_factory):
    """One fit written in all formats, and its report."""
    from velkin.cli import main

    folder = tmp_path_factory.mktemp("formats")
    outs = [folder / f"p{s}" for s in (".dcp", ".icc", ".cube", ".json")]
    words = ["fit", str(two_lights["6000"]), "--chart", "iso24", "--light", "6000", "--name", "North", "--copyright", "me"]
    assert main([*words, "--model", "table", "--cube-size", "33", "--out", *map(str, outs)]) == 0
    return {o.suffix: o for o in outs}


def patches_of(picture, corners):
    """Mean numbers of the patches' middles in a rendered picture."""
    to_picture = homography(np.array(corners))
    centres = project(to_picture, CHART.centres())
    return np.array([picture[int(y) - 5 : int(y) + 6, int(x) - 5 : int(x) + 6].mean(axis=(0, 1)) for x, y in centres])


def test_fit_reports_what_the_contract_says(capfd, two_lights, tmp_path):
    out = tmp_path / "a.json"
    status, report, _ = call(capfd, "fit", two_lights["6000"], "--chart", "iso24", "--out", out, "--json")
    assert status == 0
    keys = {"model", "exposure", "mean", "p95", "worst", "leave_one_out", "neutral", "patches", "lights", "written"}
    assert keys <= set(report) and report["model"] in ("matrix", "rootpoly", "table")
    assert report["mean"] <= report["p95"] <= report["worst"] and report["mean"] < 0.75
    assert {p["id"] for p in report["patches"]} == set(CHART.ids)
    assert report["lights"][0]["cct"] == pytest.approx(6000, rel=0.06)
    assert report["written"] == [{"path": str(out), "input": "balanced camera RGB, linear", "output": "XYZ D50"}]


def test_without_a_wish_every_kind_of_profile_gets_the_frame_s_own_balance(capfd, two_lights, all_formats, tmp_path):
    """One rule, whatever carries the profile; the chart's own balance is asked for, where the profile knows it."""
    frame = two_lights["3000"]
    shown = {}
    for suffix in (".json", ".dcp", ".icc"):
        for name, words in (("plain", ()), ("camera", ("--balance", "camera"))):
            out = tmp_path / f"{name}{suffix}.tif"
            assert call(capfd, "render", frame, "--profile", all_formats[suffix], *words, "--out", out)[0] == 0
            shown[suffix, name] = tifffile.imread(out)
        assert np.array_equal(shown[suffix, "plain"], shown[suffix, "camera"])
    for suffix, status in ((".json", 0), (".dcp", 2), (".icc", 2)):
        words = (
            "render",
            frame,
            "--profile",
            all_formats[suffix],
            "--balance",
            "chart",
            "--out",
            tmp_path / f"chart{suffix}.tif",
        )
        assert call(capfd, *words)[0] == status
    chart = tifffile.imread(tmp_path / "chart.json.tif")
    asked = tmp_path / "asked.tif"
    assert (
        call(
            capfd,
            "render",
            frame,
            "--profile",
            all_formats[".json"],
            "--balance",
            f"chart:{two_lights['6000']}",
            "--out",
            asked,
        )[0]
        == 0
    )
    assert np.abs(chart.astype(int) - tifffile.imread(asked)).max() <= 40  # read anew, on the corners that are found
    assert np.abs(chart.astype(int) - shown[".json", "plain"]).max() > 300


def test_the_command_that_a_written_profile_names_makes_its_input(capfd, two_lights, tmp_path):
    """By the profile's own word, not by what is guessed: the .cube takes encoded numbers, the .icc what was asked for."""
    frame = two_lights["6000"]
    for name, words, encoding in (
        ("a.cube", ("--cube-size", "33"), "srgb"),
        ("b.icc", (), "linear"),
        ("c.icc", ("--encoding", "srgb", "--icc-version", "2"), "srgb"),
    ):
        profile = tmp_path / name
        status, report, _ = call(capfd, "fit", frame, "--chart", "iso24", *words, "--out", profile, "--json")
        command = shlex.split(report["written"][0]["command"])
        assert status == 0 and command[0] == "velkin" and str(profile) in command
        places = {"RAW": str(frame), "INPUT.tif": str(tmp_path / f"{name}.tif")}
        status, document, _ = call(capfd, *[places.get(w, w) for w in command[1:]], "--json")
        assert (status, document["encoding"]) == (0, encoding)
        plain = tmp_path / f"{name}.plain.tif"
        assert call(capfd, "render", frame, "--camera-rgb", "--encoding", encoding, "--out", plain)[0] == 0
        assert np.array_equal(tifffile.imread(tmp_path / f"{name}.tif"), tifffile.imread(plain))
    assert "--for THIS.cube" in (tmp_path / "a.cube").read_text()


@pytest.mark.parametrize(
    ("name", "contents", "reason"),
    [
        ("x.cube", b'TITLE "elsewhere"\nLUT_3D_SIZE 2\n' + b"0 0 0\n" * 8, "does not say what numbers it takes"),
        ("x.cube", b"no table", "no .cube table"),
        ("x.icc", b"no profile", "ICC"),
        ("x.json", b"{}", "render --profile"),
        ("x.txt", b"", "no profile that takes pictures"),
    ],
)
def test_input_is_never_made_for_a_profile_that_does_not_say_what_it_takes(capfd, two_lights, tmp_path, name, contents, reason):
    (tmp_path / name).write_bytes(contents)
    words = ("render", two_lights["6000"], "--camera-rgb", "--for", tmp_path / name, "--out", tmp_path / "o.tif", "--json")
    status, document, err = call(capfd, *words)
    assert status in (1, 2) and reason in document["error"] and name in err
    assert document["file"] == str(tmp_path / name) and not (tmp_path / "o.tif").exists()


def test_input_is_not_rendered_for_a_profile_of_finished_pictures(capfd, pictures, two_lights, tmp_path):
    for name in ("p.cube", "p.icc"):
        assert call(capfd, "fit", pictures["rendered.jpg"], "--chart", "iso24", "--out", tmp_path / name)[0] == 0
        words = ("render", two_lights["6000"], "--camera-rgb", "--for", tmp_path / name, "--out", tmp_path / "o.tif", "--json")
        status, document, _ = call(capfd, *words)
        assert status in (1, 2) and "finished picture" in document["error"]
        assert document["file"] == str(tmp_path / name)


@pytest.mark.parametrize(("end", "bits"), [("tif", 16), ("png", 16), ("jpg", 8), ("webp", 8), ("avif", 12), ("jxl", 8)])
def test_render_writes_the_bits_that_the_format_holds(capfd, two_lights, tmp_path, end, bits):
    out = tmp_path / f"o.{end}"
    assert call(capfd, "render", two_lights["6000"], "--space", "p3", "--out", out)[0] == 0
    seen = call(capfd, "inspect", out, "--json")[1]
    assert (seen[0]["bits"], seen[0]["tag"]["space"]) == (bits, "p3")


@pytest.mark.parametrize("suffix", [".dcp", ".icc", ".json"])
def test_render_through_every_kind_shows_the_chart_right(capfd, two_lights, all_formats, tmp_path, suffix):
    frame, out = two_lights["6000"], tmp_path / "o.tif"
    words = ("render", frame, "--profile", all_formats[suffix], "--balance", f"chart:{frame}", "--out", out)
    status, document, _ = call(capfd, *words, "--json")
    assert status == 0 and document["space"] == "romm"
    found = read_chart(frame, CHART)
    seen = patches_of(tifffile.imread(out) / 65535.0, found.reading.corners)
    xyz = ROMM.decode(seen) @ ROMM.to_xyz.T
    reference = CHART.reference(parse_light("6000"))
    neutrals = CHART.neutral_rows()
    xyz *= reference[neutrals, 1].sum() / xyz[neutrals, 1].sum()
    errors = ciede2000(xyz_to_lab(xyz), xyz_to_lab(reference))
    assert errors.mean() < 0.8 and errors.max() < 2.5


def test_icc_and_cube_work_on_the_tiff_that_goes_with_them(capfd, two_lights, all_formats, tmp_path):
    frame, out, icc = two_lights["6000"], tmp_path / "o.tif", tmp_path / "s.icc"
    call(capfd, "fit", frame, "--chart", "iso24", "--light", "6000", "--model", "table", "--encoding", "srgb", "--out", icc)
    words = ("render", frame, "--camera-rgb", "--encoding", "srgb", "--balance", f"chart:{frame}", "--out", out)
    status, document, _ = call(capfd, *words, "--json")
    assert status == 0 and document["encoding"] == "srgb"
    picture = tifffile.imread(out)
    seen = patches_of(picture / 65535.0, read_chart(frame, CHART).reading.corners)
    lab = to_lab(seen, icc.read_bytes(), "rgb")
    native = json.loads(all_formats[".json"].read_text())["fits"][0]["figures"]["mean"]
    from velkin.core.spaces.lab import lab_to_xyz

    def error(xyz):
        reference = CHART.reference(parse_light("6000"))
        neutrals = CHART.neutral_rows()
        scaled = xyz * reference[neutrals, 1].sum() / xyz[neutrals, 1].sum()
        return ciede2000(xyz_to_lab(scaled), xyz_to_lab(reference)).mean()

    assert error(lab_to_xyz(lab)) < native + 0.4
    rows = [x.split() for x in all_formats[".cube"].read_text().splitlines() if x[0].isdigit()]
    cube = np.array(rows, dtype=float).reshape(33, 33, 33, 3)
    from scipy.interpolate import RegularGridInterpolator

    axis = np.linspace(0, 1, 33)
    encoded = RegularGridInterpolator((axis,) * 3, cube)(seen[:, ::-1])
    assert error(ROMM.decode(encoded) @ ROMM.to_xyz.T) < native + 0.4


def test_two_lights_make_one_profile(capfd, two_lights, tmp_path):
    outs = [tmp_path / "two.json", tmp_path / "two.dcp"]
    words = ("fit", two_lights["6000"], "--second", two_lights["3000"], "--chart", "iso24", "--out", *outs)
    status, report, _ = call(capfd, *words, "--json")
    assert status == 0 and len(report["patches"]) == 48 and len(report["written"]) == 2
    assert [light["cct"] for light in report["lights"]] == [pytest.approx(3000, rel=0.06), pytest.approx(6000, rel=0.06)]
    for profile in outs:
        picture = tmp_path / f"{profile.suffix[1:]}.tif"
        assert call(capfd, "render", two_lights["3000"], "--profile", profile, "--out", picture)[0] == 0
    status, report, _ = call(capfd, *words[:-2], tmp_path / "two.icc", "--json")
    assert status == 1 and "one light only" in report["error"] and not (tmp_path / "two.icc").exists()
    status, _, err = call(
        capfd, "fit", two_lights["6000"], "--second", two_lights["6000"], "--chart", "iso24", "--out", tmp_path / "x.dcp"
    )
    assert status == 1 and "too alike" in err


def test_keeping_exposure_or_not_and_the_tone_curve(capfd, two_lights, tmp_path):
    frame = two_lights["6000"]
    means = {}
    for keep in ("yes", "no"):
        for tone in ("none", "standard"):
            profile, out = tmp_path / f"{keep}{tone}.dcp", tmp_path / f"{keep}{tone}.tif"
            words = ("fit", frame, "--chart", "iso24", "--keep-exposure", keep, "--tone", tone, "--out", profile, "--json")
            _, report, _ = call(capfd, *words)
            assert call(capfd, "render", frame, "--profile", profile, "--tone", "profile", "--out", out)[0] == 0
            means[keep, tone] = ROMM.decode(tifffile.imread(out) / 65535.0)[..., 1]
    dark = means["yes", "none"] < 0.4
    ratio = np.median(means["no", "none"][dark] / np.maximum(means["yes", "none"][dark], 1e-4))
    assert ratio == pytest.approx(report["exposure"], rel=0.02)
    assert np.abs(means["yes", "standard"] - means["yes", "none"]).max() > 0.03


def test_a_dng_profile_of_another_camera_is_refused_and_can_be_forced(capfd, two_lights, all_formats, tmp_path):
    other = tmp_path / "other.dcp"
    other.write_bytes(all_formats[".dcp"].read_bytes().replace(b"Velkin Studio One", b"Velkin Studio Two"))
    words = ("render", two_lights["6000"], "--profile", other, "--out", tmp_path / "o.tif")
    status, report, _ = call(capfd, *words, "--json")
    assert status == 1 and "made for Velkin Studio Two" in report["error"] and not (tmp_path / "o.tif").exists()
    assert call(capfd, *words, "--force")[0] == 0
    assert field_two().model != "Velkin Studio Two"


@pytest.mark.parametrize("content", [b"", b"II", b"IIRC\x08\x00\x00\x00\xff\xff", b"not a profile at all" * 9])
@pytest.mark.parametrize("suffix", [".dcp", ".icc", ".json"])
def test_damaged_profiles_end_with_1_and_name_the_file(capfd, two_lights, tmp_path, suffix, content):
    profile = tmp_path / f"bad{suffix}"
    profile.write_bytes(content)
    status, report, err = call(capfd, "render", two_lights["6000"], "--profile", profile, "--out", tmp_path / "o.tif", "--json")
    assert status == 1 and report["file"] == str(profile) and "Traceback" not in err
    assert not (tmp_path / "o.tif").exists()


# ---- finished pictures --------------------------------------------------------------------------------------------


@pytest.fixture(scope="module")
def pictures(two_lights, tmp_path_factory):
    """The chart frame as finished pictures: uncorrected and linear, uncorrected and encoded, rendered to sRGB as JPEG."""
    from velkin.cli import main

    folder, frame = tmp_path_factory.mktemp("pictures"), str(two_lights["6000"])
    made = {k: folder / k for k in ("linear.tif", "encoded.tif", "rendered.jpg")}
    assert main(["render", frame, "--camera-rgb", "--out", str(made["linear.tif"])]) == 0
    assert main(["render", frame, "--camera-rgb", "--encoding", "srgb", "--out", str(made["encoded.tif"])]) == 0
    assert main(["render", frame, "--space", "srgb", "--out", str(made["rendered.jpg"])]) == 0
    return made


@pytest.mark.parametrize("name", ["linear.tif", "encoded.tif", "rendered.jpg"])
def test_a_finished_picture_is_fitted_through_its_grey_row(capfd, pictures, two_lights, tmp_path, name):
    outs = [tmp_path / "p.icc", tmp_path / "p.cube", tmp_path / "p.json"]
    words = ("fit", pictures[name], "--chart", "iso24", "--light", "6000", "--cube-size", "33", "--out", *outs)
    status, report, err = call(capfd, *words, "--json")
    assert status == 0 and report["mean"] < 1.2 and report["neutral"] < 0.5
    assert ("already went through a camera profile" in err) == (name == "rendered.jpg")
    corners = read_chart(pictures[name], CHART).reading.corners
    seen = patches_of(
        decode(pictures[name]).pixels if hasattr(decode(pictures[name]), "pixels") else decode(pictures[name]), corners
    )
    errors = ciede2000(to_lab(seen, outs[0].read_bytes(), "rgb"), xyz_to_lab(CHART.reference(parse_light("6000"))))
    assert errors.mean() < 1.4
    assert "the picture's own" in report["written"][1]["input"]
    for profile in (outs[0], outs[2]):  # such a profile takes no sensor's numbers, in either form
        status, refused, _ = call(
            capfd, "render", two_lights["6000"], "--profile", profile, "--out", tmp_path / "o.tif", "--json"
        )
        assert status == 1 and "finished picture" in refused["error"]


def test_a_finished_picture_makes_no_dng_profile_and_clipped_greys_no_profile(capfd, pictures, tmp_path):
    status, report, _ = call(capfd, "fit", pictures["linear.tif"], "--chart", "iso24", "--out", tmp_path / "p.dcp", "--json")
    assert status == 1 and "finished picture" in report["error"] and list(tmp_path.iterdir()) == []
    blown = tmp_path / "blown.tif"
    picture = tifffile.imread(pictures["encoded.tif"])
    tifffile.imwrite(blown, np.minimum(picture.astype(np.float64) * 2.2, 65535).astype(np.uint16), photometric="rgb")
    status, report, _ = call(capfd, "fit", blown, "--chart", "iso24", "--out", tmp_path / "p.icc", "--json")
    assert status == 1 and report["file"] == str(blown) and not (tmp_path / "p.icc").exists()


def test_a_picture_with_a_contrast_curve_is_said_to_have_one(capfd, pictures, tmp_path):
    curved = tmp_path / "curved.tif"
    linear = SRGB.decode(tifffile.imread(pictures["encoded.tif"]) / 65535.0)
    bent = linear**1.6 * 1.35 / (linear**1.6 + 0.35)
    tifffile.imwrite(curved, np.round(SRGB.encode(np.clip(bent, 0, 1)) * 65535).astype(np.uint16), photometric="rgb")
    status, _, err = call(capfd, "fit", curved, "--chart", "iso24", "--light", "6000", "--out", tmp_path / "p.icc")
    assert status == 0 and "contrast curve" in err
