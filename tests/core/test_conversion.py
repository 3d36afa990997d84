"""Conversions against closed forms in float64, and against LittleCMS's unoptimised answers."""

from __future__ import annotations

from itertools import permutations

import imagecodecs
import numpy as np
import pytest

from velkin.core.conversion.conversion import Conversion, is_destination
from velkin.core.conversion.light import converted, lab_of, linear_in
from velkin.core.conversion.outside import measure_outside
from velkin.core.conversion.pictures import convert_picture
from velkin.core.errors import BadProfile
from velkin.core.icc.space import LAB, ICCSpace, grays, same, space_of
from velkin.core.icc.transform import Intent, device_values, to_lab
from velkin.core.icc.write import gray_profile, matrix_profile
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spaces.rgb import BUILT_IN, OPRGB, ROMM, SRGB, RGBSpace, between
from velkin.core.spaces.transfer import ByChannel, Sampled, Transfer
from velkin.sim.press import press_profile, printed_lab

PAIRS = list(permutations(BUILT_IN.values(), 2))


def noise(shape: tuple[int, ...], bits: int, seed: int = 3) -> np.ndarray:
    top, kind = (255, np.uint8) if bits == 8 else (65535, np.uint16)
    values = np.random.default_rng(seed).random(shape)
    values[: shape[0] // 4] *= 0.02  # much of it near black, where curves are steep
    return (values * top).astype(kind)


@pytest.fixture(scope="module")
def press() -> ICCSpace:
    space = space_of(press_profile(4))
    assert isinstance(space, ICCSpace)
    return space


@pytest.mark.parametrize("bits", [8, 16])
def test_codes_are_those_of_the_closed_form(bits: int) -> None:
    top = 255 if bits == 8 else 65535
    for source, destination in PAIRS:
        numbers = noise((80, 100, 3), bits)
        found = convert_picture(numbers, Conversion(source, destination), bits, dither=False).numbers
        linear = source.decode(numbers / top) @ between(source, destination).T
        meant = np.clip(destination.encode(linear), 0, 1) * top
        if bits == 8:
            assert np.abs(np.round(meant) - found).max() <= 1, (source.id, destination.id)
        else:
            codes = np.abs(np.round(meant) - found)
            light = np.abs(destination.decode(found / top) - np.clip(linear, 0, 1))
            assert np.all((codes <= 2) | (light <= 8e-5)), (source.id, destination.id)


def test_float_keeps_what_lies_outside_and_is_exact() -> None:
    numbers = np.random.default_rng(1).random((60, 60, 3)).astype(np.float32)
    for source, destination in PAIRS:
        found = convert_picture(numbers, Conversion(source, destination), 32).numbers.astype(np.float64)
        before = xyz_to_lab(source.decode(numbers.astype(np.float64)) @ source.to_xyz.T)
        after = xyz_to_lab(destination.decode(found) @ destination.to_xyz.T)
        assert ciede2000(before, after).max() <= 0.02
    wide = convert_picture(numbers, Conversion(ROMM, SRGB), 32).numbers
    assert wide.min() < -0.05 and wide.max() > 1.05


def test_there_and_back_between_wide_spaces_in_16_bits() -> None:
    wide = [BUILT_IN[i] for i in ("romm", "bt2020")]
    inside = noise((60, 60, 3), 16)
    unclipped = convert_picture((inside / 65535).astype(np.float32), Conversion(wide[0], wide[1]), 32).numbers
    held = (unclipped.min(axis=2) >= 0) & (unclipped.max(axis=2) <= 1)
    assert held.sum() > 1000
    there = convert_picture(inside, Conversion(wide[0], wide[1]), 16).numbers
    back = convert_picture(there, Conversion(wide[1], wide[0]), 16).numbers
    assert np.abs(back.astype(int) - inside.astype(int))[held].max() <= 2


def test_what_leaves_the_space_is_counted_as_the_whole_picture_says() -> None:
    numbers = noise((64, 96, 3), 16)
    found = convert_picture(numbers, Conversion(ROMM, SRGB), 16).outside
    linear = linear_in((numbers / 65535).astype(np.float32), ROMM, SRGB)
    exact = measure_outside(linear, SRGB)
    assert found is not None and found.pixels == 64 * 96
    assert abs(found.outside - exact.outside) <= 2 and found.outside > 1000
    assert max(abs(a.low - b.low) for a, b in zip(found.channels, exact.channels, strict=True)) <= 2


def test_dither_is_repeatable_keeps_means_and_moves_no_code_by_more_than_one() -> None:
    flat = np.full((256, 256, 3), 30011, dtype=np.uint16)
    c = Conversion(OPRGB, SRGB)
    first, again = (convert_picture(flat, c, 8).numbers for _ in range(2))
    plain = convert_picture(flat, c, 8, dither=False).numbers
    exact = SRGB.encode(OPRGB.decode(flat[:1, :1] / 65535) @ between(OPRGB, SRGB).T)[0, 0] * 255
    assert np.array_equal(first, again)
    assert np.abs(first.astype(int) - plain).max() <= 1
    assert np.allclose(first.reshape(-1, 3).mean(axis=0), exact, atol=0.02)
    assert len(np.unique(first[..., 0])) == 2


def test_velkins_own_profiles_come_back_as_the_space_they_were_written_for() -> None:
    for space in BUILT_IN.values():
        for version in (2, 4):
            read = space_of(matrix_profile(space, version))  # type: ignore[arg-type]
            assert isinstance(read, RGBSpace) and same(read, space) and read.name == space.name


def test_a_profile_that_only_calls_itself_srgb_is_not_taken_for_it() -> None:
    odd = RGBSpace("x", "sRGB", "", OPRGB.primaries, OPRGB.white, Transfer(1.8))
    read = space_of(matrix_profile(odd))
    assert not same(read, SRGB) and isinstance(read, RGBSpace)
    numbers = noise((20, 20, 3), 16)
    by_profile = convert_picture(numbers, Conversion(read, ROMM), 16).numbers
    by_space = convert_picture(numbers, Conversion(odd, ROMM), 16).numbers
    assert np.abs(by_profile.astype(int) - by_space).max() <= 3  # its fixed-point numbers


def test_channels_may_have_curves_of_their_own() -> None:
    steps = np.linspace(0, 1, 257)
    curves = ByChannel(Sampled(steps**1.9), Transfer(2.2), Sampled(steps**2.5))
    space = RGBSpace("three", "three curves", "", SRGB.primaries, SRGB.white, curves)
    read = space_of(matrix_profile(space))
    device = np.random.default_rng(2).random((500, 3))
    assert isinstance(read, RGBSpace)
    meant = to_lab(device, matrix_profile(space), "rgb")
    assert ciede2000(lab_of(device.astype(np.float32), read), meant).max() < 0.02
    codes = convert_picture((device[None] * 65535).astype(np.uint16), Conversion(ROMM, read), 16).numbers
    through = device_values(device, matrix_profile(ROMM), "rgb", matrix_profile(space), "rgb", black_point=False)
    # LittleCMS turns curves round by a table of 4096: compared as light, where its steps are small
    assert np.abs(space.decode(codes[0] / 65535) - space.decode(np.clip(through, 0, 1))).max() < 5e-4


@pytest.mark.parametrize("source", ["srgb", "oprgb", "romm", "romm-linear"])
@pytest.mark.parametrize("intent", [Intent.RELATIVE, Intent.PERCEPTUAL])
def test_tables_are_close_to_littlecms_without_optimisation(press: ICCSpace, source: str, intent: Intent) -> None:
    c = Conversion(BUILT_IN[source], press, intent)
    device = np.random.default_rng(21).random((120, 150, 3))
    meant = device_values(
        device.reshape(-1, 3), matrix_profile(BUILT_IN[source]), "rgb", press.icc, "cmyk", intent=intent, black_point=True
    )
    meant_lab = to_lab(np.clip(meant, 0, 1), press.icc, "cmyk")
    for numbers in (device.astype(np.float32), np.round(device * 65535).astype(np.uint16)):
        found = convert_picture(numbers, c, 16, dither=False).numbers
        error = ciede2000(to_lab(found.reshape(-1, 4) / 65535, press.icc, "cmyk"), meant_lab)
        assert error.mean() <= 0.05 and error.max() <= 0.5


def test_from_ink_to_light_follows_the_profile_and_the_press(press: ICCSpace) -> None:
    ink = np.random.default_rng(8).random((110, 100, 4)).astype(np.float32)
    flat = ink.reshape(-1, 4)
    lab = lab_of(ink, press).reshape(-1, 3)
    assert ciede2000(lab, to_lab(flat, press.icc, "cmyk")).max() <= 0.05
    assert ciede2000(lab, printed_lab(flat.astype(np.float64))).mean() <= 0.1
    with_bpc = linear_in(ink, press, ROMM)
    meant = device_values(
        flat, press.icc, "cmyk", imagecodecs.cms_profile("xyz"), "xyz", intent=Intent.RELATIVE, black_point=True
    )
    seen = xyz_to_lab(with_bpc.reshape(-1, 3).astype(np.float64) @ ROMM.to_xyz.T)
    assert ciede2000(seen, xyz_to_lab(meant)).max() <= 0.05


def test_few_pixels_and_many_give_the_same(press: ICCSpace) -> None:
    numbers = noise((100, 100, 3), 16, seed=9)
    c = Conversion(ROMM, press)
    many = convert_picture(numbers, c, 16).numbers
    few = convert_picture(numbers[:1, :40], c, 16).numbers
    assert np.abs(many[:1, :40].astype(int) - few).max() < 700  # a hundredth of the ink


def test_absolute_keeps_the_paper(press: ICCSpace) -> None:
    bare = np.zeros((1, 1, 4), dtype=np.float32)
    relative = linear_in(bare, press, SRGB, intent=Intent.RELATIVE)
    absolute = linear_in(bare, press, SRGB, intent=Intent.ABSOLUTE)
    assert np.allclose(relative, 1.0, atol=2e-3)
    assert absolute.max() < 0.9


def test_gray_and_lab() -> None:
    gray = grays()["gray-srgb"]
    numbers = np.linspace(0, 1, 9000, dtype=np.float32).reshape(90, 100, 1)
    assert np.allclose(converted(numbers, Conversion(gray, SRGB)), numbers, atol=2e-4)
    back = converted(np.repeat(numbers, 3, axis=2), Conversion(SRGB, gray))
    assert np.allclose(back, numbers, atol=1e-3)
    lab = np.array([[[0.5, (20 + 128) / 255, (128 - 40) / 255]]], dtype=np.float32)
    assert np.allclose(lab_of(lab, LAB), [[[50, 20, -40]]], atol=1e-3)


def test_what_can_be_converted_to(press: ICCSpace) -> None:
    assert is_destination(SRGB) and is_destination(press) and is_destination(grays()["gray-22"])
    assert not is_destination(LAB)


@pytest.mark.parametrize("cut", [0, 40, 131, 200, 400])
def test_cut_profiles_are_refused(cut: int) -> None:
    with pytest.raises(BadProfile):
        space_of(matrix_profile(SRGB)[:cut])


def test_a_profile_of_no_use_is_refused() -> None:
    data = bytearray(matrix_profile(SRGB))
    at = data.index(b"rXYZ", 132 + 12 * 4) if data.count(b"rXYZ") > 1 else data.index(b"rXYZ")
    offset = int.from_bytes(data[at + 4 : at + 8], "big")
    for name in (b"gXYZ", b"bXYZ"):
        other = int.from_bytes(data[data.index(name) + 4 : data.index(name) + 8], "big")
        data[other : other + 20] = data[offset : offset + 20]
    with pytest.raises(BadProfile):
        space_of(bytes(data))
    link = bytearray(matrix_profile(SRGB))
    link[12:16] = b"link"
    with pytest.raises(BadProfile):
        space_of(bytes(link))


def test_gray_profiles_are_read_as_gray() -> None:
    for version in (2, 4):
        space = space_of(gray_profile("dots", Transfer(2.2), version))  # type: ignore[arg-type]
        assert isinstance(space, ICCSpace) and space.model == "gray" and space.name == "dots"


def test_counts_are_those_of_all_bands_each_once() -> None:
    """A picture of several bands, of which only one holds what leaves the space."""
    numbers = np.full((500, 300, 3), 20000, dtype=np.uint16)
    numbers[-40:, :100] = (0, 60000, 0)
    found = convert_picture(numbers, Conversion(ROMM, SRGB), 16).outside
    assert found is not None and (found.pixels, found.outside) == (150_000, 4_000)
    assert convert_picture(np.ascontiguousarray(numbers[::-1]), Conversion(ROMM, SRGB), 16).outside == found
