"""Camera profiles as files: what is written does what was fitted, what is read is applied as specified or refused."""

import struct
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.interpolate import CubicSpline, RegularGridInterpolator

from velkin.core.cameraprofiles.anyprofile import check_camera, from_text, load_any, to_text
from velkin.core.cameraprofiles.applying import apply_colours, apply_tone
from velkin.core.cameraprofiles.cube import cube_text
from velkin.core.cameraprofiles.dng import DNGProfile
from velkin.core.cameraprofiles.dng_export import dng_profile
from velkin.core.cameraprofiles.dng_file import dng_from_bytes, dng_to_bytes
from velkin.core.cameraprofiles.export import ExportChoices, cannot, exported
from velkin.core.cameraprofiles.fit import fit
from velkin.core.cameraprofiles.huesat import HueSatMap
from velkin.core.cameraprofiles.icc_export import toned_xyz
from velkin.core.cameraprofiles.icc_input import icc_from_bytes
from velkin.core.cameraprofiles.matrices import ColourMatrices
from velkin.core.cameraprofiles.models import NAMES
from velkin.core.cameraprofiles.tone import STRAIGHT, ToneCurve, standard_curve
from velkin.core.cameraprofiles.variants import IDENTITY, MIXERS, Variant, reach_for
from velkin.core.errors import BadProfile, FitRefused, NotSupported
from velkin.core.icc.read import parse
from velkin.core.icc.transform import Intent, device_values
from velkin.core.icc.write import matrix_profile
from velkin.core.spaces.adaptation import D50
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spaces.rgb import P3, ROMM, SRGB
from velkin.core.spectra import parse_light
from velkin.sim.fit_trials import unseen, unseen_reflectances

from .test_fit import CAMERAS, CHART, LIGHTS, request


@pytest.fixture(scope="module")
def fits():
    return {name: fit(request(camera, LIGHTS["north"].power)) for name, camera in CAMERAS.items()}


@pytest.fixture(scope="module")
def colours():
    """Chart and unseen colours in balanced camera RGB, for each camera."""
    power = LIGHTS["north"].power
    surfaces = np.vstack([CHART.reflectances, unseen_reflectances()])
    return {name: 0.9 * unseen(camera, power, surfaces).rgb for name, camera in CAMERAS.items()}


def difference(a, b):
    errors = ciede2000(xyz_to_lab(a), xyz_to_lab(b))
    return errors.mean(), errors.max()


# ---- exported profiles against the native model -------------------------------------------------------------------


@pytest.mark.parametrize("model", NAMES)
@pytest.mark.parametrize("camera", CAMERAS)
def test_a_dng_profile_does_what_the_fit_does(fits, colours, camera, model):
    profile, rgb = fits[camera].of(model), colours[camera]
    balance = np.array(profile.balance)
    read = dng_from_bytes(exported(profile, ".dcp").data)
    assert (read.name, read.camera) == (profile.name, profile.camera)
    assert read.tone == STRAIGHT and not read.black  # no reader adds a curve or blacks of its own
    mean, worst = difference(read.colours(balance).xyz(rgb), profile.colours(balance).xyz(rgb))
    assert mean <= 0.3 and worst <= 1.0
    assert read.colours(balance).xyz(np.ones(3)) == pytest.approx(D50, abs=1e-6)
    kelvin, duv = read.matrices.temperature(balance)
    assert kelvin == pytest.approx(profile.cct, rel=0.002) and duv == pytest.approx(profile.duv, abs=3e-4)


@pytest.mark.parametrize("version", [2, 4])
@pytest.mark.parametrize("encoding", ["linear", "srgb"])
@pytest.mark.parametrize("model", NAMES)
def test_an_icc_profile_does_what_the_fit_does_through_littlecms(fits, colours, model, encoding, version):
    profile, rgb = fits["field"].of(model), colours["field"]
    data = exported(profile, ".icc", ExportChoices(encoding, version)).data
    header = parse(data)
    assert (header.kind, header.model, header.version[0]) == ("input", "rgb", version)
    read = icc_from_bytes(data)
    assert read.takes == encoding and read.name == profile.name
    meant = profile.colours(np.array(profile.balance)).xyz(rgb)
    mean, worst = difference(read.colours(np.ones(3)).xyz(rgb), meant)
    assert mean <= 0.3 and worst <= 1.0
    greys = xyz_to_lab(read.colours(np.ones(3)).xyz(np.linspace(0.02, 1, 20)[:, None] * np.ones(3)))
    assert np.abs(greys[:, 1:]).max() < 0.02


@pytest.mark.parametrize("black_point", [False, True])
@pytest.mark.parametrize("intent", [Intent.PERCEPTUAL, Intent.RELATIVE, Intent.SATURATION])
@pytest.mark.parametrize("version", [2, 4])
@pytest.mark.parametrize("model", ["rootpoly", "table"])
def test_shadows_are_the_same_through_an_icc_table_whatever_intent_is_asked_for(fits, model, version, intent, black_point):
    profile = fits["field"].of(model)
    data = exported(profile, ".icc", ExportChoices("linear", version)).data
    assert data[67] == Intent.RELATIVE  # the header's
    greys = np.array([0.001, 0.002, 0.005, 0.02, 0.1, 0.5, 1.0])[:, None] * np.ones(3)
    meant = profile.colours(np.array(profile.balance)).xyz(greys) @ ROMM.from_xyz.T
    found = ROMM.decode(
        device_values(greys, data, "rgb", matrix_profile(ROMM, 4), "rgb", intent=intent, black_point=black_point)
    )
    assert np.abs(found - meant).max() < 2e-4  # of white; a shadow of 0.002 came out below zero


@pytest.mark.parametrize("size", [33, 65])
@pytest.mark.parametrize("model", NAMES)
def test_a_cube_does_what_the_fit_does(fits, colours, model, size):
    profile, rgb = fits["studio"].of(model), colours["studio"]
    lines = cube_text(profile, P3, size).splitlines()
    head, rows = [x for x in lines if not x[0].isdigit()], [x for x in lines if x[0].isdigit()]
    assert f"LUT_3D_SIZE {size}" in head and any("balanced camera RGB through the sRGB" in x for x in head)
    assert any("P3 (D65), encoded" in x for x in head)
    values = np.array([row.split() for row in rows], dtype=float).reshape(size, size, size, 3)
    axis = np.linspace(0, 1, size)
    at = RegularGridInterpolator((axis, axis, axis), values)(SRGB.encode(rgb)[:, ::-1])
    meant = profile.colours(np.array(profile.balance)).xyz(rgb)
    inside = np.all((meant @ P3.from_xyz.T > 0) & (meant @ P3.from_xyz.T < 1), axis=1)
    mean, worst = difference((P3.decode(at) @ P3.to_xyz.T)[inside], meant[inside])
    assert inside.mean() > 0.9 and mean <= 0.3 and worst <= 1.0


def test_tone_and_exposure_travel(fits, colours):
    profile = replace(fits["studio"].of("rootpoly"), tone="standard", keep_exposure=False)
    rgb = 0.7 * colours["studio"]
    read = dng_from_bytes(exported(profile, ".dcp").data)
    assert 2.0**read.exposure == pytest.approx(profile.exposure, rel=1e-5)
    seen = read.colours(np.array(profile.balance)).xyz(rgb) @ ROMM.from_xyz.T
    meant = toned_xyz(profile, rgb)
    mean, worst = difference(read.tone_curve().apply(seen) @ ROMM.to_xyz.T, meant)
    assert mean <= 0.3 and worst <= 1.0
    fits_in = meant[:, 1] < 0.95  # a Lab table ends at white
    mean, worst = difference(icc_from_bytes(exported(profile, ".icc").data).colours(None).xyz(rgb)[fits_in], meant[fits_in])
    assert mean <= 0.3 and worst <= 1.0


@pytest.mark.parametrize("model", NAMES)
def test_a_two_light_dng_profile_interpolates_as_the_native_one(model):
    sensor = CAMERAS["studio"]
    both = fit(request(sensor, LIGHTS["lamp"].power), request(sensor, parse_light("5200").power)).of(model)
    read = dng_from_bytes(exported(both, ".dcp").data)
    assert len(read.illuminants) == 2 and read.illuminants[0] in (17, 24)
    for kelvin in (3000, 3800, 4600, 5100):
        power = parse_light(str(kelvin)).power
        neutral = sensor.neutral(power)
        balance = neutral[1] / neutral
        rgb = 0.9 * unseen(sensor, power, unseen_reflectances()).rgb
        mean, worst = difference(read.colours(balance).xyz(rgb), both.colours(balance).xyz(rgb))
        assert mean <= 0.3 and worst <= 1.0
    assert "one light only" in cannot(both, ".icc") and "one light only" in cannot(both, ".cube")


def test_what_a_format_cannot_carry_is_refused_in_words(fits):
    profile = fits["studio"].of("matrix")
    finished = replace(profile, curves=((0.0, 1.0),) * 3)
    with pytest.raises(NotSupported, match="finished picture"):
        exported(finished, ".dcp")
    with pytest.raises(NotSupported, match="no profile format"):
        exported(profile, ".xyz")
    with pytest.raises(BadProfile, match="finished picture"):
        check_camera(finished, profile.camera)
    with pytest.raises(BadProfile, match="made for Velkin Studio One"):
        check_camera(profile, "Another")
    check_camera(profile, "Another", force=True)
    check_camera(replace(dng_profile(profile), camera=""), "Another")


# ---- DNG profiles as the specification applies them ---------------------------------------------------------------


def by_the_book(table, encoding, rgb):
    """One colour of linear ROMM RGB in 0..1 through a table: written from the specification's text, one number at a time."""
    r, g, b = rgb
    v, low = max(rgb), min(rgb)
    if v == low:
        h = s = 0.0
    else:
        h = {r: (g - b) / (v - low), g: 2 + (b - r) / (v - low), b: 4 + (r - g) / (v - low)}[v] % 6
        s = (v - low) / v
    values, hues, saturations = table.shape[:3]
    level = v
    if encoding == "srgb" and values > 1:
        level = 12.92 * v if v <= 0.0031308 else 1.055 * v ** (1 / 2.4) - 0.055
    found = np.zeros(3)
    hi, si, vi = h * hues / 6, s * (saturations - 1), level * (values - 1)
    for a in (0, 1):
        for b_ in (0, 1):
            for c in (0, 1):
                h0, s0, v0 = int(hi), min(int(si), saturations - 2), min(int(vi), max(values - 2, 0))
                w = (hi - h0 if a else 1 - hi + h0) * (si - s0 if b_ else 1 - si + s0)
                w *= (vi - v0 if c else 1 - vi + v0) if values > 1 else (1 - c)
                if w:
                    found += w * table[v0 + c, (h0 + a) % hues, s0 + b_]
    h, s = (h + found[0] * 6 / 360) % 6, min(s * found[1], 1)
    if encoding == "srgb" and values > 1:
        level = min(level * found[2], 1)
        v = level / 12.92 if level <= 0.04045 else ((level + 0.055) / 1.055) ** 2.4
    else:
        v = v * found[2]
    i, f = int(h), h - int(h)
    p, q, t = v * (1 - s), v * (1 - s * f), v * (1 - s * (1 - f))
    return [(v, t, p), (q, v, p), (p, v, t), (p, q, v), (t, p, v), (v, p, q)][i % 6]


def some_table(seed, values, hues, saturations):
    rng = np.random.default_rng(seed)
    shape = (values, hues, saturations)
    data = np.stack([rng.uniform(-15, 15, shape), rng.uniform(0.7, 1.2, shape), rng.uniform(0.8, 1.1, shape)], axis=-1)
    data[:, :, 0, 2] = 1.0
    return data.astype(np.float32)


@pytest.mark.parametrize(
    ("shape", "encoding"), [((1, 90, 30), "linear"), ((8, 24, 12), "linear"), ((16, 36, 8), "srgb"), ((1, 6, 2), "srgb")]
)
def test_tables_do_what_the_specification_says(shape, encoding):
    data = some_table(1, *shape)
    rgb = np.random.default_rng(2).random((300, 3))
    expected = np.array([by_the_book(data.astype(float), encoding, tuple(c)) for c in rgb])
    assert HueSatMap(data, encoding).apply(rgb) == pytest.approx(expected, abs=1e-9)


@pytest.mark.parametrize("encoding", ["linear", "srgb"])
@pytest.mark.parametrize("forward", [True, False])
def test_a_whole_dng_profile_is_applied_within_a_twentieth_of_a_delta_e(encoding, forward):
    warm, cool = (np.array(m) for m in CAMERAS["studio"].built_in_matrices())
    ahead = tuple(np.linalg.inv(m) for m in (warm, cool))
    matrices = ColourMatrices(
        (tuple(warm.ravel()), tuple(cool.ravel())), (2856.0, 6504.0), tuple(tuple(m.ravel()) for m in ahead) if forward else ()
    )
    tables = tuple(HueSatMap(some_table(s, 6, 30, 16), encoding) for s in (3, 4))
    look = HueSatMap(some_table(5, 1, 12, 6))
    profile = DNGProfile("p", "c", (17, 21), matrices, tables, look, standard_curve(), 0.25)
    profile = dng_from_bytes(dng_to_bytes(profile))
    neutral = CAMERAS["studio"].neutral(parse_light("4300").power)
    balance = neutral[1] / neutral
    share = (1 / matrices.temperature(balance)[0] - 1 / 6504) / (1 / 2856 - 1 / 6504)
    rgb = np.random.default_rng(6).random((400, 3)) * 0.8 + 0.1
    romm = np.clip(rgb @ (ROMM.from_xyz @ matrices.matrix(balance)).T, 0, 1)
    mixed = share * tables[0].data.astype(float) + (1 - share) * tables[1].data.astype(float)
    seen = np.array([by_the_book(mixed, encoding, tuple(c)) for c in romm]) * 2**0.25
    free = rgb @ (ROMM.from_xyz @ matrices.matrix(balance)).T
    inside = np.all((free > 0) & (free < 1), axis=1) & (seen.max(axis=1) < 1)  # where the specification clips nothing
    expected = np.array([by_the_book(look.data.astype(float), "linear", tuple(c)) for c in seen[inside]])
    colours = profile.colours(balance)
    exact = colours.xyz(rgb)[inside]
    assert difference(exact, expected @ ROMM.to_xyz.T)[1] <= 0.02
    kernel = apply_colours(rgb.astype(np.float32), colours, np.eye(3))[inside].astype(float)
    assert inside.sum() > 100 and difference(kernel, exact)[1] <= 0.05
    toned = apply_tone((kernel @ ROMM.from_xyz.T).astype(np.float32), profile.tone_curve(), ROMM.to_xyz)
    assert difference(toned.astype(float), profile.tone_curve().apply(expected) @ ROMM.to_xyz.T)[1] <= 0.05


@pytest.mark.parametrize("model", ["rootpoly", "table"])
def test_the_fast_way_gives_what_the_exact_one_does(fits, colours, model):
    rgb = colours["studio"]
    map_ = fits["studio"].of(model).fits[0].model
    for level in (0.01, 0.3, 1.0):
        fast = apply_colours((rgb * level).astype(np.float32), map_, np.eye(3)).astype(float) / level
        assert difference(fast, map_.xyz(rgb))[1] <= 0.1
    with_gains = apply_colours((rgb / [2.0, 1.0, 1.5]).astype(np.float32), map_, np.eye(3), (2.0, 1.0, 1.5))
    assert difference(with_gains.astype(float), map_.xyz(rgb))[1] <= 0.1
    greys = apply_colours(np.full((5, 3), 0.3, np.float32), map_, np.eye(3))
    assert greys == pytest.approx(np.tile(D50 * 0.3, (5, 1)), rel=1e-5)


def test_colours_beyond_romm_stay_distinct_and_continuous():
    table = HueSatMap(some_table(9, 1, 12, 6))
    edge = np.array([[1.0, 0.4, 1e-9], [1.0, 0.4, -1e-9]])
    out = table.apply(edge)
    assert out[0] == pytest.approx(out[1], abs=1e-6)
    assert np.all(np.isfinite(table.apply(np.array([[2.0, 0.4, -0.3], [0.0, 0.0, 0.0], [-0.1, -0.2, -0.1]]))))


def test_the_tone_curve_is_the_natural_spline_through_its_points():
    curve = ToneCurve(((0.0, 0.0), (0.1, 0.02), (0.35, 0.4), (0.7, 0.85), (1.0, 1.0)))
    x = np.linspace(0, 1, 201)
    expected = np.clip(CubicSpline(*np.array(curve.points).T, bc_type="natural")(x), 0, 1)
    assert curve.at(x) == pytest.approx(expected, abs=1e-12)
    assert standard_curve().at(np.array([0.0, 0.18, 1.0])) == pytest.approx([0.0, 0.18, 1.0], abs=1e-4)
    assert np.all(np.diff(standard_curve().at(x)) > 0)
    grey = np.full((1, 3), 0.3)
    assert np.ptp(standard_curve().apply(grey)) == 0
    for points in (
        ((0.0, 0.0),),
        ((0.0, 0.0), (0.5, 0.2)),
        ((0.0, 0.0), (0.6, 0.5), (0.5, 0.6), (1.0, 1.0)),
        ((0.0, 0.0), (1.0, float("nan"))),
    ):
        with pytest.raises(BadProfile):
            ToneCurve(points)


# ---- damaged and hostile files ------------------------------------------------------------------------------------


@pytest.fixture(scope="module")
def good(fits):
    return {s: exported(fits["studio"].of("table"), s).data for s in (".dcp", ".icc", ".json")}


@settings(max_examples=150, deadline=None)
@given(st.data())
def test_mutilated_profiles_are_refused_or_read_and_never_crash(good, data):
    suffix = data.draw(st.sampled_from([".dcp", ".icc", ".json"]))
    original = good[suffix]
    mutant = bytearray(original[: data.draw(st.integers(0, len(original)))] if data.draw(st.booleans()) else original)
    for _ in range(data.draw(st.integers(1, 8))):
        if mutant:
            place = data.draw(st.one_of(st.integers(0, min(400, len(mutant) - 1)), st.integers(0, len(mutant) - 1)))
            mutant[place] = data.draw(st.integers(0, 255))
    reader = {".dcp": dng_from_bytes, ".icc": icc_from_bytes, ".json": lambda b: from_text(b.decode("utf-8", "replace"))}[
        suffix
    ]
    try:
        profile = reader(bytes(mutant))
    except BadProfile as error:
        assert error.message
        return
    if suffix != ".icc":
        profile.colours(np.array([2.0, 1.0, 1.5])).xyz(np.random.default_rng(0).random((4, 3)))


def fields(*entries):
    """The bytes of a DNG profile directory of (tag, type, count, data)."""
    out, body = struct.pack("<H", len(entries)), b""
    start = 8 + 2 + 12 * len(entries) + 4
    for tag, kind, count, data in entries:
        value = data.ljust(4, b"\0") if len(data) <= 4 else struct.pack("<I", start + len(body))
        body += data if len(data) > 4 else b""
        out += struct.pack("<HHI", tag, kind, count) + value
    return b"II" + struct.pack("<HI", 0x4352, 8) + out + bytes(4) + body


MATRIX = (50721, 12, 9, np.eye(3).astype("<f8").tobytes())


@pytest.mark.parametrize(
    ("entries", "reason"),
    [
        ((), "no colour matrix"),
        (((50721, 12, 9, np.zeros(9).astype("<f8").tobytes()),), "no inverse"),
        (((50721, 12, 9, np.full(9, np.nan).astype("<f8").tobytes()),), "not a number"),
        (((50721, 12, 8, bytes(64)),), "8 numbers in place of 9"),
        (((50721, 10, 9, struct.pack("<18i", *([1, 0] * 9))),), "divides by nothing"),
        (((50721, 12, 12, bytes(96)),), "four colours"),
        ((MATRIX, (50937, 4, 3, struct.pack("<3I", 0, 2, 1)), (50938, 11, 6, bytes(24))), "cannot be used"),
        ((MATRIX, (50937, 4, 3, struct.pack("<3I", 65000, 65000, 65000)), (50938, 11, 6, bytes(24))), "cannot be used"),
        ((MATRIX, (50937, 4, 3, struct.pack("<3I", 6, 2, 1)), (50938, 11, 6, bytes(24))), "holds 6 numbers"),
        ((MATRIX, (50938, 11, 6, bytes(24))), "without its size"),
        ((MATRIX, (50940, 11, 3, bytes(12))), "pairs"),
        ((MATRIX, (50940, 11, 4, np.array([0, 0, 0.5, 1], "<f4").tobytes())), "from 0 to 1"),
        ((MATRIX, (51109, 12, 1, struct.pack("<d", 99.0))), "99 EV"),
        ((MATRIX, (50936, 2, 10_000_000, struct.pack("<I", 8))), "past the end"),
    ],
)
def test_dng_profiles_that_cannot_be_meant_are_refused_with_the_reason(entries, reason):
    with pytest.raises(BadProfile, match=reason):
        dng_from_bytes(fields(*entries))


def test_big_endian_profiles_are_read():
    rational = np.array([[1, 2], [0, 1], [0, 1], [0, 1], [1, 1], [0, 1], [0, 1], [0, 1], [3, 4]], ">i4").tobytes()
    entries = [(50708, 2, 5, b"Else\0"), (50721, 10, 9, rational), (50778, 3, 1, b"\0\x11\0\0")]
    head, body = struct.pack(">H", len(entries)), b""
    for tag, kind, count, data in entries:
        value = data if len(data) == 4 else struct.pack(">I", 8 + 2 + 36 + 4 + len(body))
        body += data if len(data) != 4 else b""
        head += struct.pack(">HHI", tag, kind, count) + value
    profile = dng_from_bytes(b"MM" + struct.pack(">HI", 0x4352, 8) + head + bytes(4) + body)
    assert (profile.camera, profile.illuminants, profile.matrices.kelvins) == ("Else", (17,), (2856.0,))
    assert profile.matrices.matrices[0][::4] == (0.5, 1.0, 0.75)


def test_a_bare_foreign_dng_profile_is_read(tmp_path):
    path = tmp_path / "bare.dcp"
    path.write_bytes(fields(MATRIX, (50708, 2, 5, b"Else\0"), (50936, 2, 5, b"Name\0")))
    profile = load_any(path)
    assert (profile.name, profile.camera, profile.tone_curve(), profile.balance) == ("Name", "Else", None, None)
    assert profile.colours(np.ones(3)).xyz(np.ones(3)) == pytest.approx(D50)
    path.write_bytes(path.read_bytes()[:40])
    with pytest.raises(BadProfile, match="cut short"):
        load_any(path)
    with pytest.raises(NotSupported):
        load_any(tmp_path / "x.txt")


def test_descriptions_of_paths_tell_profiles_apart(fits, good):
    """Whether a frame was changed since it was written is told by its path's description."""
    other = exported(fits["field"].of("table"), ".icc").data
    a, b = (icc_from_bytes(d).colours(np.ones(3)) for d in (good[".icc"], other))
    assert repr(a) != repr(b) and repr(a) == repr(icc_from_bytes(good[".icc"]).colours(np.ones(3)))
    tables = [fits[c].of("table").fits[0].model for c in ("studio", "field")]
    assert repr(tables[0].table) != repr(tables[1].table)


def test_every_kind_is_kept_as_text_without_loss(fits, good):
    kept = [fits["studio"].of("table"), dng_from_bytes(good[".dcp"]), icc_from_bytes(good[".icc"])]
    for profile in kept:
        assert from_text(to_text(profile)) == profile
    for text in ("{}", "[]", "x", '{"format": "Velkin kept profile", "kind": "dng", "data": "!"}'):
        with pytest.raises(BadProfile):
            from_text(text)


# ---- variants -----------------------------------------------------------------------------------------------------


def test_a_channel_exchange_goes_before_the_model_and_into_the_dng_profile(fits, colours):
    rgb = colours["studio"]
    for model in NAMES:
        plain = fits["studio"].of(model)
        varied = replace(plain, variant=Variant(mixer=MIXERS["exchange red and blue"]))
        balance = np.array(plain.balance)
        meant = plain.colours(balance).xyz(rgb[:, ::-1])
        assert varied.colours(balance).xyz(rgb) == pytest.approx(meant)
        read = dng_from_bytes(exported(varied, ".dcp").data)
        mean, worst = difference(read.colours(balance).xyz(rgb), meant)
        assert mean <= 0.3 and worst <= 1.5
        assert read.matrices.temperature(balance)[0] == pytest.approx(plain.cct, rel=0.01)


@pytest.mark.parametrize("saturation", [0.0, 0.5])
def test_softened_and_monochrome_variants_keep_luminance_everywhere(fits, colours, saturation):
    plain = fits["studio"].of("rootpoly")
    varied = replace(plain, variant=Variant(saturation=saturation))
    rgb, balance = colours["studio"], np.array(plain.balance)
    before, after = plain.colours(balance).xyz(rgb), varied.colours(balance).xyz(rgb)
    assert after[:, 1] == pytest.approx(before[:, 1])
    chroma = [np.hypot(*xyz_to_lab(x)[:, 1:].T) for x in (before, after)]
    assert np.all(chroma[1] <= chroma[0] + 1e-6) and (saturation or chroma[1].max() < 0.01)
    read = dng_from_bytes(exported(varied, ".dcp").data).colours(balance).xyz(rgb)
    mean, worst = difference(read, after)
    assert mean <= 0.3 and worst <= 1.0


def test_the_reach_of_the_balance_brings_an_odd_one_to_the_middle_of_the_scale(fits):
    plain = fits["studio"].of("matrix")
    foliage = np.array([0.35, 1.0, 3.8])  # an infrared frame made neutral on leaves
    usual = plain.matrices().balance_at(5000.0, 0.0)
    varied = replace(plain, variant=Variant(reach=reach_for(foliage, usual)))
    assert abs(plain.matrices().temperature(foliage)[0] / 5000 - 1) > 0.3
    assert varied.matrices().temperature(foliage)[0] == pytest.approx(5000, rel=0.01)
    read = dng_from_bytes(exported(varied, ".dcp").data)
    assert read.matrices.temperature(foliage)[0] == pytest.approx(5000, rel=0.01)
    assert varied.colours(foliage).xyz(np.ones(3)) == pytest.approx(D50)
    assert varied.quality == plain.figures  # colours are as they were
    assert replace(plain, variant=Variant(saturation=0.5)).quality is None


def test_variants_that_would_break_neutrals_are_refused():
    for wrong in (((1, 1, 0), (0, 1, 0), (0, 0, 1)), ((1, 0, 0), (1, 0, 0), (0, 0, 1)), ((9, -8, 0), (0, 1, 0), (0, 0, 1))):
        with pytest.raises(FitRefused):
            Variant(mixer=wrong)
    with pytest.raises(FitRefused):
        Variant(saturation=1.5)
    with pytest.raises(FitRefused):
        Variant(reach=(0.0, 1.0, 1.0))
    assert Variant().words() == ""
    assert Variant(IDENTITY, 0.0).words() == "monochrome"


def test_saturated_pixels_are_mended_alike_in_every_way_of_rendering(fits):
    from velkin.core.cameraprofiles.highlights import balanced
    from velkin.core.path import path_of
    from velkin.core.render import to_working
    from velkin.core.stages.camera import CameraStage

    rng = np.random.default_rng(3)
    raw = np.clip(rng.random((40, 50, 3)) * 1.4, 0, 1).astype(np.float32)
    raw[:5] = (1.0, 0.99, 0.4)
    gains = (1.8, 1.0, 1.4)
    for model in ("rootpoly", "table"):
        profile = fits["studio"].of(model)
        for colours_ in (
            profile.colours(np.array(gains)),
            dng_from_bytes(exported(profile, ".dcp").data).colours(np.array(gains)),
        ):
            seen = to_working(raw, path_of(CameraStage(gains, "", colours_), ROMM, ROMM))
            meant = colours_.xyz(balanced(raw, gains).astype(float)) @ ROMM.from_xyz.T
            assert np.abs(seen - meant).max() < 4e-3
