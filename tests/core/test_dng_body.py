"""What a DNG file says of the body that made it, against the specification's formulas written out anew (DNG 1.6, chapter 6)."""

import json
import struct
from datetime import datetime
from fractions import Fraction

import numpy as np
import pytest
import tifffile

from velkin.cli import main
from velkin.core.cameraprofiles.dng import DNGProfile
from velkin.core.cameraprofiles.dng_export import dng_profile
from velkin.core.cameraprofiles.dng_file import dng_from_bytes, dng_to_bytes
from velkin.core.cameraprofiles.fit import FitRequest, fit
from velkin.core.cameraprofiles.huesat import HueSatMap
from velkin.core.cameraprofiles.matrices import ColourMatrices, baseline_of, built_in, flat
from velkin.core.charts.built_in import iso24
from velkin.core.charts.reading_job import read_chart
from velkin.core.files.dng_colour import DNGColour, illuminant_white, read_dng_colour
from velkin.core.files.raw import read_facts
from velkin.core.path import path_of
from velkin.core.render import to_working
from velkin.core.shoot.records import facts_from_json, facts_to_json
from velkin.core.spaces.adaptation import xy_to_xyz, xyz_to_xy
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spaces.rgb import ROMM
from velkin.core.spaces.temperature import xy_of_cct, xy_of_temperature
from velkin.core.spectra import WAVELENGTHS, daylight, observer, parse_light
from velkin.core.stages.camera import built_in_stage, profile_stage
from velkin.sim.camera import Camera
from velkin.sim.dng import Body, Shot, write_dng
from velkin.sim.scenes import Scene

CAMERA = Camera()
WARM, COOL = CAMERA.built_in_matrices()
ANALOG = np.array([1.9, 1.0, 1.35])
CALIBRATIONS = (
    np.array([[1.04, 0.02, -0.01], [0.01, 0.98, 0.02], [0.0, 0.03, 1.05]]),
    np.array([[1.02, 0.01, 0.0], [0.0, 1.0, 0.03], [0.01, 0.0, 0.97]]),
)


def by_the_book(kelvin, analog, calibrations):
    """XYZ → camera RGB at a temperature: AB · CC · CM, each interpolated in reciprocal temperature between 2856 and 6504 K."""
    share = (1 / kelvin - 1 / 6504) / (1 / 2856 - 1 / 6504)
    colour = share * WARM + (1 - share) * COOL
    body = share * calibrations[0] + (1 - share) * calibrations[1] if calibrations else np.eye(3)
    return np.diag(analog) @ body @ colour


def written(path, neutral, body, mosaic=None):
    mosaic = np.full((64, 96), 4000, np.uint16) if mosaic is None else mosaic
    write_dng(path, mosaic, CAMERA, Shot(datetime(2026, 4, 2, 9), Fraction(1, 60), 8.0, 100, neutral / neutral[1]), body)
    return read_facts(path)


@pytest.mark.parametrize(("calibrations", "signatures", "used"), [
    ((), ("", ""), False),
    (CALIBRATIONS, ("", ""), True),
    (CALIBRATIONS, ("body 7", "body 7"), True),
    (CALIBRATIONS, ("body 7", "another"), False),
    (CALIBRATIONS, ("body 7", ""), False),
])  # fmt: skip
def test_the_body_s_own_numbers_tell_the_light(tmp_path, calibrations, signatures, used):
    """The temperature is that of the light; without what the file says of the body it would be a thousand kelvin off."""
    light = xy_to_xyz(xy_of_temperature(5500.0, 0.002))
    neutral = by_the_book(5500.0, ANALOG, calibrations if used else ()) @ light
    facts = written(tmp_path / "a.dng", neutral, Body(ANALOG, calibrations, *signatures))
    kelvin, duv = built_in(facts).temperature(facts.as_shot)
    assert kelvin == pytest.approx(5500, abs=15) and duv == pytest.approx(0.002, abs=3e-4)
    ignored = ColourMatrices((WARM.ravel(), COOL.ravel()), (2856.0, 6504.0))
    assert abs(ColourMatrices(flat((WARM, COOL)), ignored.kelvins).temperature(facts.as_shot)[0] - 5500) > 700
    again = built_in(facts).balance_at(kelvin, duv)
    assert np.abs(again / facts.as_shot - 1).max() < 1e-3


def test_colours_through_colour_matrices_are_those_of_the_specification(tmp_path):
    neutral = by_the_book(4500.0, ANALOG, CALIBRATIONS) @ xy_to_xyz(xy_of_cct(4500.0))
    facts = written(tmp_path / "a.dng", neutral, Body(ANALOG, CALIBRATIONS))
    balance = facts.as_shot
    camera = np.random.default_rng(3).random((50, 3))
    kelvin = built_in(facts).temperature(balance)[0]
    to_xyz = np.linalg.inv(by_the_book(kelvin, ANALOG, CALIBRATIONS))
    white = to_xyz @ (1 / balance)
    bradford = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])
    d50 = np.array([0.9642, 1.0, 0.8251])
    adapt = np.linalg.inv(bradford) @ np.diag((bradford @ d50) / (bradford @ (white / white[1]))) @ bradford
    expected = camera @ (adapt @ to_xyz / white[1]).T
    found = (camera * balance) @ built_in(facts).matrix(balance).T
    assert ciede2000(xyz_to_lab(found), xyz_to_lab(expected)).max() < 0.05


def test_colours_through_forward_matrices_are_those_of_the_specification():
    """CameraToXYZ_D50 = FM · D · (AB · CC)⁻¹, D the inverse of the reference neutral (AB · CC)⁻¹ · neutral."""
    forward = np.array([[0.62, 0.25, 0.0942], [0.28, 0.68, 0.04], [0.02, 0.08, 0.7251]])
    body = DNGColour((WARM,), (17,), calibrations=(CALIBRATIONS[0],), analog=tuple(ANALOG), camera_signature="b")
    profile = ColourMatrices(flat((WARM,)), (2856.0,), flat((forward,)))
    neutral = np.array([0.4, 1.0, 0.7])
    camera = np.random.default_rng(4).random((40, 3))
    for signature, calibration in (("b", CALIBRATIONS[0]), ("other", np.eye(3))):
        to_reference = np.linalg.inv(np.diag(ANALOG) @ calibration)
        d = np.diag(1 / (to_reference @ neutral))
        expected = camera @ (forward @ d @ to_reference).T
        found = (camera / neutral) @ profile.on(body, signature).matrix(1 / neutral).T
        assert np.abs(found - expected).max() < 5e-4  # rows that sum to D50 of four digits


def test_a_third_light_is_known_by_its_own_data(tmp_path):
    green_lamp = xyz_to_xy(np.array([0.9, 1.0, 0.5]))
    third = np.diag([0.9, 1.1, 1.3]) @ COOL
    neutral = third @ xy_to_xyz(green_lamp)
    facts = written(tmp_path / "a.dng", neutral, Body(third=(third, tuple(green_lamp))))
    matrices = built_in(facts)
    assert len(matrices.matrices) == 3 and facts.colour.illuminants == (17, 21, 255)
    assert np.abs(matrices.white_of_neutral(1 / facts.as_shot) - green_lamp).max() < 1e-3
    weights = matrices.weights(np.array(green_lamp))
    assert weights[2] > 0.999 and sum(weights) == pytest.approx(1)
    between = 0.5 * (np.array(green_lamp) + xy_of_cct(6504.0))
    warm, cool, green = matrices.weights(between)
    assert cool == pytest.approx(green, rel=0.01) and warm < cool  # by the inverse square of the distance
    profile = dng_from_bytes(dng_to_bytes(_three_lights(third, tuple(green_lamp))))
    assert profile.illuminants == (17, 21, 255) and np.allclose(profile.matrices.whites[2], green_lamp, atol=1e-5)
    assert np.allclose(profile.matrices.white_of_neutral(1 / facts.as_shot), green_lamp, atol=1e-3)


def test_a_light_that_tells_nothing_new_takes_its_table_with_it():
    """The second light has the temperature of the first: tables stay with their own lights, not with their places."""
    tables = tuple(HueSatMap(np.full((1, 3, 2, 3), 1.0 + n / 10, np.float32)) for n in range(3))
    matrices = ColourMatrices(flat((WARM, WARM, COOL)), (2856.0, 2856.0, 6504.0))
    read = dng_from_bytes(dng_to_bytes(DNGProfile("three", "", (17, 17, 21), matrices, tables)))
    assert read.illuminants == (17, 21)
    assert [float(t.data.max()) for t in read.tables] == pytest.approx([1.0, 1.2])


def _three_lights(third, white):
    from velkin.core.cameraprofiles.dng import DNGProfile

    matrices = ColourMatrices(flat((WARM, COOL, third)), (2856.0, 6504.0, 5000.0), whites=(None, None, white))
    return DNGProfile("three", "", (17, 21, 255), matrices)


@pytest.mark.parametrize("white", [(0.85, 0.10), (0.04, 0.3), (0.3, 0.04), (0.3, 0.81), (0.6, 0.5)])
def test_a_chromaticity_that_no_light_has_is_not_believed(white):
    rational = [n for v in white for n in (round(v * 1_000_000), 1_000_000)]
    assert illuminant_white(struct.pack("<H4I", 0, *rational)) is None


def test_a_light_s_data_are_chromaticity_or_spectrum_in_either_byte_order():
    power = daylight(5500.0)
    x, y = xyz_to_xy(power @ observer())
    for order in "<>":
        plain = struct.pack(order + "H4I", 0, 332000, 1000000, 347500, 1000000)
        assert illuminant_white(plain) == (0.332, 0.3475)
        numbers = [n for v in power for n in (round(float(v) * 1000), 1000)]
        step = int(WAVELENGTHS[1] - WAVELENGTHS[0])
        spectrum = struct.pack(f"{order}H5I{len(numbers)}I", 1, len(power), int(WAVELENGTHS[0]), 1, step, 1, *numbers)
        assert np.allclose(illuminant_white(spectrum), (x, y), atol=1e-4)
    for broken in (b"", b"\0", struct.pack("<H4I", 0, 1, 0, 1, 0), struct.pack("<H5I", 1, 10**9, 1, 1, 1, 1), b"\xff" * 40):
        assert illuminant_white(broken) is None


def test_tags_that_cannot_be_meant_are_as_if_they_were_not_there():
    plain = {"Exif.Image.ColorMatrix1": " ".join(f"{round(v * 10000)}/10000" for v in WARM.ravel())}
    for key, value in (
        ("AnalogBalance", "0/1 1/1 1/1"),
        ("AnalogBalance", "1/0 1/1 1/1"),
        ("AnalogBalance", "2/1 1/1"),
        ("CameraCalibration1", " ".join(["0/1"] * 9)),
        ("CameraCalibration1", "nan " * 9),
        ("BaselineExposure", "900/1"),
        ("IlluminantData1", "1 2 3"),
        ("ColorMatrix2", " ".join(["1/1"] * 9)),
    ):
        found = read_dng_colour({**plain, f"Exif.Image.{key}": value})
        assert found.analog == (1, 1, 1) and found.calibrations == () and found.baseline == 0 and found.whites == ()
        assert len(found.matrices) == 1
    assert read_dng_colour({"Exif.Image.AnalogBalance": "1/1 1/1 1/1"}) is None


@pytest.fixture(scope="module")
def bodies(tmp_path_factory):
    """The same chart frame by a plain body, by one whose channels are amplified and whose exposure is to be moved."""
    folder = tmp_path_factory.mktemp("bodies")
    power = parse_light("5000").power
    scene = Scene(CAMERA, power, 900, 600, seed=3, level=0.5)
    scene.table()
    scene.chart(iso24(), np.array([(220.0, 150.0), (700.0, 160.0), (690.0, 470.0), (210.0, 460.0)]))
    made = {}
    gains = np.array([1.25, 1.0, 1.1])
    for name, gain, baseline in (("plain", np.ones(3), 0.0), ("amplified", gains, 0.0), ("lifted", gains, 0.5)):
        mosaic = CAMERA.sensor.expose((scene.rgb * gain).astype(np.float32), np.random.default_rng(7))
        neutral = CAMERA.neutral(power) * gain
        written(folder / f"{name}.dng", neutral, Body(gain, baseline=baseline), mosaic)
        made[name] = folder / f"{name}.dng"
    return made


def fitted(path, keep=True):
    facts = read_facts(path)
    kept = read_chart(path, iso24())
    request = FitRequest(
        kept.for_fit(), kept.chart, facts.unique, built_in(facts), parse_light("5000"), "N", path.name, "table",
        keep_exposure=keep, baseline=baseline_of(facts),
    )  # fmt: skip
    return fit(request).of("table"), kept, facts


def test_a_written_profile_does_on_its_body_what_the_fitted_one_does(bodies):
    """Readers multiply by the file's amplification, and leave the body's calibration out for this profile."""
    native, kept, facts = fitted(bodies["amplified"])
    foreign = dng_from_bytes(dng_to_bytes(dng_profile(native)))
    assert foreign.signature and foreign.signature != facts.colour.camera_signature
    rgb = kept.for_fit().rgb() * facts.as_shot
    there = profile_stage(foreign, facts, balance=facts.as_shot)
    here = profile_stage(native, facts, balance=facts.as_shot)
    assert ciede2000(xyz_to_lab(there.colours.xyz(rgb)), xyz_to_lab(here.colours.xyz(rgb))).mean() < 0.1
    at = foreign.on(facts.colour).matrices.temperature(facts.as_shot)[0]
    assert at == pytest.approx(native.matrices().temperature(facts.as_shot)[0], abs=20)
    plain, _, plain_facts = fitted(bodies["plain"])
    assert plain.fits[0].analog == (1, 1, 1) and native.fits[0].analog == pytest.approx((1.25, 1.0, 1.1))
    exported = dng_profile(native).matrices.matrices[0]
    assert np.allclose(exported, dng_profile(plain).matrices.matrices[0], atol=0.02)  # the model's, not this body's
    assert built_in(facts).temperature(facts.as_shot)[0] == pytest.approx(
        built_in(plain_facts).temperature(plain_facts.as_shot)[0], abs=5
    )


def test_the_exposure_that_a_file_asks_for_is_given_whatever_carries_the_profile(bodies, tmp_path, capfd):
    """And where exposure was fitted, the chart's greys have their own lightness all the same."""
    outs = [tmp_path / f"p{end}" for end in (".json", ".dcp", ".icc")]
    words = [
        "fit",
        str(bodies["amplified"]),
        "--chart",
        "iso24",
        "--light",
        "5000",
        "--model",
        "matrix",
        "--out",
        *map(str, outs),
    ]
    assert main(words) == 0
    for profile in [None, *outs]:
        light = {}
        for name in ("amplified", "lifted"):
            out = tmp_path / f"{name}.tif"
            through = [] if profile is None else ["--profile", str(profile)]
            assert main(["render", str(bodies[name]), *through, "--space", "romm-linear", "--replace", "--out", str(out)]) == 0
            light[name] = tifffile.imread(out)[200:400, 250:650].astype(float)
        bright = light["amplified"] > 4000
        assert light["lifted"].max() < 65535 and bright.mean() > 0.3
        assert np.median(light["lifted"][bright] / light["amplified"][bright]) == pytest.approx(2**0.5, rel=2e-3), profile
    capfd.readouterr()
    for name in ("amplified", "lifted"):
        profile, kept, facts = fitted(bodies[name], keep=False)
        for through in (profile, dng_profile(profile)):
            stage = profile_stage(through, facts, balance=np.array(profile.balance))
            rgb = (kept.for_fit().rgb() * np.array(profile.balance)).astype(np.float32)[None] / np.float32(1)
            shown = to_working((rgb / np.array(profile.balance)).astype(np.float32), path_of(stage, ROMM, ROMM))
            lightness = (shown[0] @ ROMM.to_xyz.T)[:, 1]
            neutrals = iso24().neutral_rows()
            reference = iso24().reference(parse_light("5000"))[neutrals, 1]
            assert lightness[neutrals].sum() == pytest.approx(reference.sum(), rel=0.02), (name, type(through).__name__)


def test_what_a_file_brings_that_is_not_applied_is_named(tmp_path, capfd):
    table = b"\0" * 16
    extras = ((52525, 7, len(table), table, True), (50940, 11, 4, (0.0, 0.0, 1.0, 1.0), True))
    written(tmp_path / "a.dng", np.array([0.5, 1.0, 0.6]), Body(extras=extras))
    assert main(["inspect", str(tmp_path / "a.dng"), "--json"]) == 0
    notes = " ".join(json.loads(capfd.readouterr().out)[0]["notes"])
    assert "gain table map" in notes and "tone curve" in notes and "not applied" in notes


def test_all_of_it_is_kept_with_the_frame(tmp_path):
    facts = written(
        tmp_path / "a.dng", np.array([0.5, 1.0, 0.6]), Body(ANALOG, CALIBRATIONS, "b", "c", 0.25, (COOL, (0.33, 0.36)))
    )
    again = facts_from_json(facts_to_json(facts), facts.path)
    for name in ("analog", "camera_signature", "profile_signature", "whites", "baseline", "illuminants", "not_applied"):
        assert getattr(again.colour, name) == getattr(facts.colour, name), name
    assert np.array_equal(again.colour.calibrations, facts.colour.calibrations)
    assert facts.colour.baseline == 0.25 and len(facts.colour.calibrations) == 3
    assert np.array_equal(built_in_stage(again).colours.matrix, built_in_stage(facts).colours.matrix)
    old = json.loads(facts_to_json(facts))
    old["colour"] = {k: old["colour"][k] for k in ("matrices", "illuminants")} | {"forward": []}
    assert facts_from_json(json.dumps(old), facts.path).colour.analog == (1.0, 1.0, 1.0)  # as kept before
