"""Velkin's ICC profiles: read by LittleCMS, meaning what they should; reading that refuses what is broken."""

import struct
from io import BytesIO

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import ImageCms

from velkin.core.conversion.codes import codes_of_light
from velkin.core.errors import BadProfile
from velkin.core.icc.matrix import curve
from velkin.core.icc.read import parse, table_side
from velkin.core.icc.recognise import recognise
from velkin.core.icc.transform import Intent, convert, to_lab
from velkin.core.icc.write import matrix_profile
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spaces.rgb import BUILT_IN, ROMM, SRGB, between
from velkin.sim.press import press_profile

ALL = [(space, version) for space in BUILT_IN.values() for version in (2, 4)]


@pytest.mark.parametrize(("space", "version"), ALL, ids=lambda v: getattr(v, "id", str(v)))
def test_littlecms_finds_the_intended_colours(space, version):
    rng = np.random.default_rng(7)
    rgb = rng.random((500, 3))
    meant = xyz_to_lab(space.decode(rgb) @ space.to_xyz.T)
    assert ciede2000(to_lab(rgb, matrix_profile(space, version), "rgb"), meant).max() < 0.06


@pytest.mark.parametrize(("space", "version"), ALL, ids=lambda v: getattr(v, "id", str(v)))
def test_profiles_are_recognised_by_what_they_do(space, version):
    profile = matrix_profile(space, version)
    assert recognise(profile) == space
    renamed = profile.replace("sRGB".encode("utf-16-be"), "wRoN".encode("utf-16-be"))
    assert recognise(renamed) == space
    facts = parse(profile)
    assert (facts.model, facts.kind, facts.version[0]) == ("rgb", "display", version)


def test_littlecmss_own_srgb_is_recognised_and_lab_is_no_rgb():
    own = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
    assert recognise(own) == SRGB
    with pytest.raises(BadProfile):
        recognise(ImageCms.ImageCmsProfile(ImageCms.createProfile("LAB")).tobytes())


def test_profile_id_is_the_md5_that_littlecms_computes():
    profile = ImageCms.ImageCmsProfile(BytesIO(matrix_profile(SRGB))).profile
    assert profile.version == pytest.approx(4.4)
    assert profile.profile_description == "sRGB"
    import hashlib

    data = bytearray(matrix_profile(SRGB))
    kept = bytes(data[84:100])
    data[44:48], data[64:68], data[84:100] = bytes(4), bytes(4), bytes(16)
    assert hashlib.md5(data).digest() == kept


def test_own_conversion_agrees_with_unoptimised_littlecms_in_16_bits():
    rng = np.random.default_rng(2)
    codes = rng.integers(0, 65536, (60, 70, 3)).astype(np.uint16)
    theirs = convert(codes, matrix_profile(ROMM), matrix_profile(SRGB), Intent.RELATIVE, black_point=False).astype(int)
    linear = (ROMM.decode(codes / 65535.0) @ between(ROMM, SRGB).T).astype(np.float32)
    ours = codes_of_light(linear, SRGB, 16).astype(int)
    in_light = np.abs(SRGB.decode(ours / 65535.0) - SRGB.decode(theirs / 65535.0))
    assert np.all((np.abs(ours - theirs) <= 2) | (in_light <= 8e-5))
    exact = np.round(SRGB.encode(np.clip(ROMM.decode(codes / 65535.0) @ between(ROMM, SRGB).T, 0, 1)) * 65535)
    assert np.abs(ours - exact).max() <= 2


@pytest.mark.parametrize("cut", [0, 3, 100, 131, 200, 400])
def test_truncated_profiles_are_refused(cut):
    with pytest.raises(BadProfile):
        parse(matrix_profile(SRGB)[:cut])


def test_tags_past_the_end_are_refused():
    data = bytearray(matrix_profile(SRGB))
    struct.pack_into(">I", data, 132 + 4, 1 << 30)
    with pytest.raises(BadProfile, match="past its end"):
        parse(bytes(data))


@settings(max_examples=150, deadline=None)
@given(st.lists(st.tuples(st.integers(0, 519), st.integers(0, 255)), min_size=1, max_size=12))
def test_damaged_profiles_never_do_worse_than_being_refused(changes):
    data = bytearray(matrix_profile(SRGB))
    for place, value in changes:
        data[place % len(data)] = value
    try:
        parse(bytes(data))
        recognise(bytes(data))
    except BadProfile:
        pass


def para(kind: int, *values: float) -> bytes:
    """A parametric curve (ICC.1:2022 10.18)."""
    return b"para\0\0\0\0" + struct.pack(">HH", kind, 0) + b"".join(struct.pack(">i", round(v * 65536)) for v in values)


@pytest.mark.parametrize(
    ("tag", "meant"),
    [
        (para(1, 2.0, 1.25, -0.25), lambda x: np.where(x >= 0.2, np.maximum(1.25 * x - 0.25, 0) ** 2, 0)),
        (para(2, 2.0, 0.9, -0.09, 0.1), lambda x: np.where(x >= 0.1, np.maximum(0.9 * x - 0.09, 0) ** 2, 0) + 0.1),
        (para(3, 2.0, 1.0, 0.0, 0.0, 0.2517), lambda x: np.where(x >= 0.2517, x**2, 0)),
        (
            para(4, 2.0, 0.9, 0.05, 0.2, 0.1, 0.05, 0.01),
            lambda x: np.where(x >= 0.1, (0.9 * x + 0.05) ** 2 + 0.05, 0.2 * x + 0.01),
        ),
    ],
    ids=["1", "2", "3 without a straight part", "4"],
)
def test_parametric_curves_are_read_as_the_standard_writes_them(tag, meant):
    x = np.linspace(0, 1, 257)
    assert curve(tag).decode(x) == pytest.approx(np.clip(meant(x), 0, 1), abs=1e-4)


def test_the_nodes_of_a_profiles_own_table_are_known_in_every_kind_of_table():
    for version in (2, 4):
        data = press_profile(version)
        assert table_side(data, Intent.RELATIVE) == 13, version
    assert table_side(matrix_profile(SRGB), Intent.RELATIVE) is None


def test_only_version_4_says_how_its_white_was_adapted():
    assert b"chad" in parse(matrix_profile(SRGB, 4)).tags
    old = parse(matrix_profile(SRGB, 2)).tags
    assert b"chad" not in old and {b"wtpt", b"rXYZ", b"cprt", b"desc"} <= set(old)
