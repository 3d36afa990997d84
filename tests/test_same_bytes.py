"""The same path gives the same bytes, whichever verb takes it; and codes are those of the transfer function, whatever it is."""

from dataclasses import replace

import numpy as np
import pytest
import tifffile

from velkin.cli import main
from velkin.core.conversion.codes import codes_of_light, histogram_of_light, quantised
from velkin.core.conversion.conversion import Conversion
from velkin.core.conversion.curves import encoder_of
from velkin.core.conversion.light import carried, linear_in
from velkin.core.conversion.pictures import convert_picture
from velkin.core.destinations.destination import Destination, FileFormat
from velkin.core.destinations.sizing import FULL, Size
from velkin.core.handoff.copies import CopyWish, write_copy
from velkin.core.icc.space import space_of
from velkin.core.icc.write import matrix_profile
from velkin.core.render import shown
from velkin.core.shoot.arrivals import look_at
from velkin.core.shoot.shoot import Shoot
from velkin.core.spaces.rgb import BUILT_IN, OPRGB, P3, ROMM, SRGB
from velkin.core.spaces.transfer import ByChannel, Sampled, Transfer
from velkin.sim.press import press_profile

RNG = np.random.default_rng(31)


@pytest.fixture
def picture(tmp_path):
    """A tagged ROMM picture of 16 bits, wide and narrow colours, taller than a band of the hand-off."""
    codes = (RNG.random((300, 70, 3)) ** 1.5 * 65535).astype(np.uint16)
    codes[:40] = (12000 + 4000 * RNG.random((40, 70, 1))).astype(np.uint16)
    tifffile.imwrite(tmp_path / "wide.tif", codes, photometric="rgb", iccprofile=matrix_profile(ROMM))
    return tmp_path / "wide.tif"


def handed_off(tmp_path, source, space, bits, profile=None):
    shoot = Shoot.create(tmp_path / f"{source.stem}-{space}-{bits}.velkin", "s")
    shoot.frames.add_frames([look_at(source)])
    to = Destination("to", "To", space, "to", file=FileFormat("tiff", bits), size=Size(FULL))
    shoot.destinations.add_destinations([(to, profile)])
    identifier = shoot.state.destinations[-1].id
    path = shoot.path
    shoot.close()
    assert main(["handoff", str(path), "--to", identifier, "--out", str(tmp_path / f"{space}{bits}")]) == 0
    return tifffile.imread(next((tmp_path / f"{space}{bits}").iterdir()))


@pytest.mark.parametrize("space", ["srgb", "oprgb", "p3", "bt2020", "ecirgb", "romm-linear"])
@pytest.mark.parametrize("bits", [8, 16])
def test_convert_and_handoff_give_the_same_numbers(picture, tmp_path, space, bits, capfd):
    out = tmp_path / "c.tif"
    assert main(["convert", str(picture), "--to", space, "--bits", str(bits), "--out", str(out)]) == 0
    converted = tifffile.imread(out)
    assert np.array_equal(converted, handed_off(tmp_path, picture, space, bits))
    assert converted.dtype == (np.uint8 if bits == 8 else np.uint16)


@pytest.mark.parametrize("bits", [8, 16])
def test_a_profile_of_tables_gives_the_same_inks_on_every_way(picture, tmp_path, bits, capfd):
    (tmp_path / "press.icc").write_bytes(press_profile(4))
    press = space_of(press_profile(4))
    assert (
        main(
            [
                "convert",
                str(picture),
                "--to",
                str(tmp_path / "press.icc"),
                "--bits",
                str(bits),
                "--out",
                str(tmp_path / "c.tif"),
            ]
        )
        == 0
    )
    converted = tifffile.imread(tmp_path / "c.tif")
    assert np.array_equal(converted, handed_off(tmp_path, picture, press.id, bits, press))
    # a part of it alone is the same part: no size picks another way
    part = tifffile.imread(picture)[5:7, 3:9]
    few = convert_picture(part, Conversion(ROMM, press), 16).numbers
    whole = convert_picture(tifffile.imread(picture), Conversion(ROMM, press), 16).numbers
    assert np.array_equal(few, whole[5:7, 3:9])


def test_a_tagged_copy_of_the_ledger_is_what_the_verb_writes(picture, tmp_path, capfd):
    """The same steps, decided in a shoot or given on the command line; and float pictures with them."""
    floats = tmp_path / "f.tif"
    tifffile.imwrite(
        floats,
        tifffile.imread(picture).astype(np.float32) / 65535 * 1.1 - 0.05,
        photometric="rgb",
        iccprofile=matrix_profile(ROMM),
    )
    for source in (picture, floats):
        shoot = Shoot.create(tmp_path / f"{source.stem}-copy.velkin", "s")
        frame = shoot.frames.add_frames([look_at(source)])[0]
        shoot.colour.convert([frame], P3)
        path = shoot.state.path(frame)
        write_copy(source, path.start, path.steps, CopyWish(tmp_path / "copy.tif", replace=True))
        shoot.close()
        assert main(["convert", str(source), "--to", "p3", "--out", str(tmp_path / "verb.tif"), "--replace"]) == 0
        by_ledger, by_verb = tifffile.imread(tmp_path / "copy.tif"), tifffile.imread(tmp_path / "verb.tif")
        assert np.array_equal(by_ledger, by_verb) and by_verb.dtype == tifffile.imread(source).dtype
    assert by_verb.min() < 0 and by_verb.max() > 1, "float is not clipped"


@pytest.mark.parametrize("space", ["srgb", "oprgb", "romm"])
@pytest.mark.parametrize("bits", [8, 16])
def test_render_and_handoff_give_the_same_numbers(chart_dng, tmp_path, space, bits, capfd):
    out = tmp_path / "r.tif"
    assert main(["render", str(chart_dng), "--space", space, "--bits", str(bits), "--out", str(out)]) == 0
    assert np.array_equal(tifffile.imread(out), handed_off(tmp_path, chart_dng, space, bits))


def test_the_screen_gets_the_codes_of_an_8_bit_file_without_dither(picture):
    linear = linear_in(tifffile.imread(picture), ROMM, ROMM)
    assert np.array_equal(shown(linear, ROMM, P3), codes_of_light(carried(linear, ROMM, P3), P3, 8))


def test_bands_of_a_picture_are_the_picture():
    """Dither goes on from band to band, and no band begins anew."""
    linear = RNG.random((600, 37, 3)).astype(np.float32)
    whole = codes_of_light(linear, SRGB, 8, dither=True)
    bands = [codes_of_light(linear[a : a + 77], SRGB, 8, dither=True, first_row=a) for a in range(0, 600, 77)]
    assert np.array_equal(whole, np.concatenate(bands))
    parts = [quantised(linear[a : a + 77], 8, dither=True, first_row=a) for a in range(0, 600, 77)]
    assert np.array_equal(quantised(linear, 8, dither=True), np.concatenate(parts))


CURVES = {
    **{space.id: space.transfer for space in BUILT_IN.values()},
    **{f"gamma {g}": Transfer(g) for g in (0.4, 1.5, 2.2, 4.0, 7.0, 10.0)},
    "sampled": Sampled(np.linspace(0, 1, 1024) ** 2.2),
    "few samples": Sampled(np.linspace(0, 1, 17) ** 3),
    "a different one for each channel": ByChannel(Transfer(2.2), Sampled(np.linspace(0, 1, 256) ** 1.8), Transfer(1.0)),
}


@pytest.mark.parametrize("name", CURVES)
def test_codes_are_those_of_the_transfer_function_whatever_it_is(name):
    """Within half a code and a little, in 16 bits, from full light to far below the darkest code."""
    space = replace(SRGB, id=f"as {name}", transfer=CURVES[name])
    light = np.concatenate([RNG.random(60_000), 2.0 ** RNG.uniform(-50, 0, 60_000), [0.0, 1.0]]).astype(np.float32)
    linear = np.repeat(light[:, None], 3, axis=1)[None]
    exact = np.clip(space.encode(linear[0].astype(np.float64)), 0, 1)
    for bits, top, dither, most in ((16, 65535, False, 0.8), (8, 255, False, 0.51), (8, 255, True, 1.01)):
        codes = codes_of_light(linear, space, bits, dither=dither)[0]
        assert np.abs(codes - exact * top).max() <= most, (bits, dither)
    assert codes_of_light(linear[:, -2:], space, 16)[0].tolist() == [[0] * 3, [65535] * 3]


def test_what_is_no_light_is_black_or_white_and_never_a_place_in_memory():
    odd = np.array([[np.nan, np.inf, -np.inf], [1e38, -1e38, 65504.0], [-0.0, 1.0000001, 1e-45]], dtype=np.float32)[None]
    for space in (ROMM, OPRGB):
        for bits, top in ((8, 255), (16, 65535)):
            codes = codes_of_light(odd, space, bits, dither=bits == 8)
            assert set(codes[0, 1].tolist()) <= {0, top} and codes[0, 0, 0] == 0
            mixed = codes_of_light(carried(odd, space, SRGB), SRGB, bits)
            assert mixed.min() >= 0 and mixed.max() <= top
    assert quantised(odd, 16)[0, 0].tolist() == [0, 65535, 0]
    assert histogram_of_light(carried(odd, ROMM, SRGB), SRGB).sum() == 9


def test_equal_curves_share_one_table():
    assert encoder_of(SRGB).tables[0] is encoder_of(SRGB).tables[2]
