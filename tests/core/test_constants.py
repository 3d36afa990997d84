"""Every number that colour rests on, held to standards' text as printed and to colour-science; and each wrong one is caught.

The last test changes each primary, white, transfer constant and matrix entry in turn, by what a slip of the pen changes, and asks the
comparisons above whether they see it.
"""

from dataclasses import replace

import colour
import numpy as np
import pytest

from velkin.core.icc.space import space_of
from velkin.core.icc.write import matrix_profile
from velkin.core.spaces import adaptation, oklab
from velkin.core.spaces.adaptation import BRADFORD, D50, bradford, xy_to_xyz
from velkin.core.spaces.rgb import BUILT_IN
from velkin.core.spaces.temperature import cct_duv, xy_of_cct, xy_of_temperature
from velkin.core.spaces.transfer import ByChannel, Sampled, Transfer

D65, D50_XY = (0.3127, 0.3290), (0.3457, 0.3585)
#: As the standards print them: red, green, blue and white in x, y.
PRINTED = {
    "srgb": ((0.64, 0.33), (0.30, 0.60), (0.15, 0.06), D65),  # IEC 61966-2-1, table 1
    "oprgb": ((0.64, 0.33), (0.21, 0.71), (0.15, 0.06), D65),  # IEC 61966-2-5
    "p3": ((0.680, 0.320), (0.265, 0.690), (0.150, 0.060), D65),  # SMPTE EG 432-1
    "romm": ((0.7347, 0.2653), (0.1596, 0.8404), (0.0366, 0.0001), D50_XY),  # ISO 22028-2
    "bt2020": ((0.708, 0.292), (0.170, 0.797), (0.131, 0.046), D65),  # Rec. ITU-R BT.2020-2, table 3
    "ecirgb": ((0.67, 0.33), (0.21, 0.71), (0.14, 0.08), D50_XY),  # ISO 22028-4
    "romm-linear": ((0.7347, 0.2653), (0.1596, 0.8404), (0.0366, 0.0001), D50_XY),
}
#: colour-science's decoding functions; eciRGB's is CIE L*, told below.
THEIRS = {"srgb": "sRGB", "oprgb": "Adobe RGB (1998)", "p3": "Display P3", "romm": "ROMM RGB"}
#: Where the straight part of each curve ends, in encoded numbers.
KNEES = {"srgb": 0.04045, "p3": 0.04045, "romm": 16 / 512, "bt2020": 4.5 * 0.0181, "ecirgb": 0.08}
STEPS = np.linspace(0.0, 1.0, 1001)


def light_of(name):
    """What encoded numbers are in light, by somebody else's formula."""
    if name in THEIRS:
        return colour.RGB_COLOURSPACES[THEIRS[name]].cctf_decoding(STEPS)
    if name == "bt2020":  # Rec. ITU-R BT.2020-2, table 4, with the constants for 12-bit systems
        return np.where(STEPS < 4.5 * 0.0181, STEPS / 4.5, ((STEPS + 0.0993) / 1.0993) ** (1 / 0.45))
    if name == "ecirgb":
        return colour.models.Lab_to_XYZ(np.stack([100 * STEPS, 0 * STEPS, 0 * STEPS], axis=1))[:, 1]
    return STEPS


def colourimetry_is_right(space):
    """Whether primaries, white and matrix are the standard's."""
    printed = PRINTED[space.id]
    same = np.allclose([*space.primaries, space.white], printed, atol=0.0)
    native = colour.normalised_primary_matrix(np.array(printed[:3]), np.array(printed[3]))
    adapted = bradford(xy_to_xyz(printed[3]), D50) @ native
    return bool(same and np.allclose(space.to_xyz, adapted, atol=1e-9))


def curve_is_right(space):
    """Whether the transfer function is the standard's, both ways."""
    meant = light_of(space.id)
    found, back = space.transfer.decode(STEPS), space.transfer.encode(meant)
    near = np.abs(found - meant).max() < 2e-5 and np.abs(back - STEPS)[1:].max() < 2e-4
    return bool(near and space.transfer.d == pytest.approx(KNEES.get(space.id, 0.0), abs=1e-12))


@pytest.mark.parametrize("space", BUILT_IN.values(), ids=list(BUILT_IN))
def test_spaces_are_the_standards(space):
    assert colourimetry_is_right(space)
    assert curve_is_right(space)


def adaptation_is_right(cones, white):
    """Whether cones and white are those of ICC.1:2022, annex E and 7.2.16."""
    theirs = colour.adaptation.CHROMATIC_ADAPTATION_TRANSFORMS["Bradford"]
    return bool(np.array_equal(cones, theirs) and np.array_equal(white, [0.9642, 1.0, 0.8249]))


def test_adaptation_is_bradford_s():
    assert adaptation_is_right(BRADFORD, D50)
    for white in (D65, (0.4476, 0.4074), (0.31, 0.36)):
        theirs = colour.adaptation.matrix_chromatic_adaptation_VonKries(xy_to_xyz(white), D50, "Bradford")
        assert np.abs(bradford(xy_to_xyz(white), D50) - theirs).max() < 1e-9


def oklab_is_right(to_cones, to_opponent):
    """Whether a pair of matrices gives Ottosson's Oklab of XYZ under D65."""
    xyz = np.random.default_rng(7).random((200, 3)) * [0.95, 1.0, 1.09]
    ours = np.cbrt(xyz @ to_cones.T) @ to_opponent.T
    return bool(np.abs(ours - colour.XYZ_to_Oklab(xyz)).max() < 5e-6)


def test_oklab_is_ottosson_s():
    assert oklab_is_right(oklab._TO_CONES, oklab.TO_OPPONENT)
    # as his page prints them, three digits
    for xyz, printed in (
        ((0.950, 1.0, 1.089), (1.0, 0.0, 0.0)),
        ((1, 0, 0), (0.450, 1.236, -0.019)),
        ((0, 0, 1), (0.153, -1.415, -0.449)),
    ):
        adapted = adaptation.bradford(xy_to_xyz(D65), D50) @ np.array(xyz)
        assert oklab.xyz_to_oklab(adapted) == pytest.approx(printed, abs=1.5e-3)


@pytest.mark.parametrize("kelvin", [1800, 2856, 3500, 4150, 5003, 6504, 9300, 15000])
@pytest.mark.parametrize("duv", [-0.01, 0.0, 0.004, 0.012])
def test_temperature_and_duv_are_ohno_s(kelvin, duv):
    xy = xy_of_temperature(kelvin, duv)
    uv = colour.models.xy_to_UCS_uv(xy)
    theirs = colour.temperature.uv_to_CCT_Ohno2013(uv)
    found = cct_duv(xy)
    assert found[0] == pytest.approx(theirs[0], rel=2e-3) and found[1] == pytest.approx(theirs[1], abs=2e-4)


@pytest.mark.parametrize("kelvin", [4000, 5003, 5503, 6504, 7504, 12000])
def test_daylight_is_cie_s(kelvin):
    assert xy_of_cct(kelvin) == pytest.approx(colour.temperature.CCT_to_xy_CIE_D(kelvin), abs=2e-4)


def slips_of(space):
    """The space with each of its constants wrong, one after the other."""
    for number in range(3):
        for axis in range(2):
            for slip in (-0.001, 0.001, 0.01):
                primaries = [list(p) for p in space.primaries]
                primaries[number][axis] += slip
                yield f"{space.id} primary {number}.{axis}{slip:+}", replace(space, primaries=tuple(map(tuple, primaries)))
    for axis in range(2):
        white = list(space.white)
        white[axis] += 0.0005
        yield f"{space.id} white {axis}", replace(space, white=tuple(white))
    other = D50_XY if space.white == D65 else D65
    yield f"{space.id} the other white", replace(space, white=other)
    t = space.transfer
    for name in ("g", "a", "b", "c", "d"):
        value = getattr(t, name)
        if (name == "c" and t.d == 0) or (space.id == "romm-linear" and name in ("b", "c", "d")):
            continue  # it stands for nothing there
        for slip in (0.99, 1.01) if value else (0.01,):
            yield (
                f"{space.id} curve {name} × {slip}",
                replace(space, transfer=replace(t, **{name: value * slip if value else slip})),
            )
    for name in ("sRGB", "romm", "L*"):
        wrong = {"sRGB": BUILT_IN["srgb"], "romm": BUILT_IN["romm"], "L*": BUILT_IN["ecirgb"]}[name].transfer
        if wrong != t:
            yield f"{space.id} with the curve of {name}", replace(space, transfer=wrong)


def test_every_wrong_constant_is_caught():
    """What a slip of the pen in a constant would make is told from the standard by the tests above."""
    tried, missed = 0, []
    for space in BUILT_IN.values():
        for name, wrong in slips_of(space):
            tried += 1
            if colourimetry_is_right(wrong) and curve_is_right(wrong):
                missed.append(name)
    for row in range(3):
        for column in range(3):
            slip = np.zeros((3, 3))
            slip[row, column] = 1e-4
            tried += 3
            missed += [f"Bradford {row}{column}"] * adaptation_is_right(BRADFORD + slip, D50)
            missed += [f"Oklab cones {row}{column}"] * oklab_is_right(oklab._TO_CONES + slip, oklab.TO_OPPONENT)
            missed += [f"Oklab axes {row}{column}"] * oklab_is_right(oklab._TO_CONES, oklab.TO_OPPONENT + slip)
    print(f"{tried} wrong constants tried, {tried - len(missed)} caught")
    assert missed == [] and tried > 200


def test_a_curve_s_pieces_meet():
    """Where the straight part ends the power begins, to what the standard's rounded constants leave."""
    for space in BUILT_IN.values():
        t = space.transfer
        assert isinstance(t, Transfer)
        if t.d:
            assert t.c * t.d == pytest.approx((t.a * t.d + t.b) ** t.g, rel=2e-3)


def test_constants_that_comparisons_cannot_tell_apart_are_the_standards_own():
    """Those whose slip would move no colour by what a table prints: held to the fractions themselves."""
    assert BUILT_IN["ecirgb"].transfer.c == 2700 / 24389  # CIE 15: κ = 24389/27, for L* of 0..1
    assert BUILT_IN["ecirgb"].transfer.a == 1 / 1.16


def test_sampled_curves_go_on_beyond_white_as_steeply_as_they_arrive():
    curve = Sampled(np.linspace(0, 1, 65) ** 3)
    arrival = (1.0 - (63 / 64) ** 3) * 64
    assert not curve.is_linear and not ByChannel(curve, curve, curve).is_linear
    beyond = np.array([1.0, 1.1, -1.1])
    assert curve.decode(beyond) == pytest.approx([1.0, 1.0 + 0.1 * arrival, -1.0 - 0.1 * arrival])
    assert curve.encode(curve.decode(beyond)) == pytest.approx(beyond)


@pytest.mark.parametrize("space", BUILT_IN.values(), ids=list(BUILT_IN))
def test_a_profile_gives_back_the_primaries_and_white_it_was_written_for(space):
    read = space_of(matrix_profile(replace(space, id="another", family=""), 4))
    assert np.allclose(read.primaries, space.primaries, atol=2e-4)
    assert np.allclose(read.white, space.white, atol=1e-4)
