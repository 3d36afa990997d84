"""Containers taken apart, and tags replaced in every shape of file that they come in."""

from __future__ import annotations

import io
import struct

import imagecodecs
import numpy as np
import pytest
import tifffile
from PIL import Image

from velkin.core.errors import UnreadableFile
from velkin.core.files import kinds
from velkin.core.files.exif_block import agreeing
from velkin.core.files.formats import ALL, format_at, format_named
from velkin.core.files.formats.jpeg import icc_segments
from velkin.core.files.formats.jxl import size_of
from velkin.core.files.formats.png import chunk as png_chunk
from velkin.core.files.jpeg_structure import segments_of
from velkin.core.files.picture import decode_picture
from velkin.core.icc.collection import Collection
from velkin.core.icc.space import space_of
from velkin.core.icc.write import matrix_profile
from velkin.core.spaces.custom import OwnSpace
from velkin.core.spaces.rgb import BT2020, OPRGB, P3, ROMM, SRGB
from velkin.core.tags.declared import space_of_cicp, space_of_exif, space_of_png
from velkin.core.tags.inspect import inspect

RGB = (np.random.default_rng(9).random((30, 44, 3)) * 255).astype(np.uint8)
SRGB_POINTS = (0.3127, 0.329, 0.64, 0.33, 0.30, 0.60, 0.15, 0.06)


# ---- TIFF in all its byte orders ----------------------------------------------------------------------------------


@pytest.mark.parametrize("order", ["<", ">"])
@pytest.mark.parametrize("big", [False, True])
@pytest.mark.parametrize("before", [None, matrix_profile(SRGB)])
def test_a_tiff_of_any_byte_order_gets_its_tag_at_its_end(tmp_path, order, big, before):
    path = tmp_path / "a.tif"
    deep = RGB.astype(np.uint16) * 257
    tifffile.imwrite(path, deep, photometric="rgb", byteorder=order, bigtiff=big, iccprofile=before, rowsperstrip=7)
    data = path.read_bytes()
    out = format_named("tiff").retagged(data, matrix_profile(ROMM), "romm")
    path.write_bytes(out)
    assert inspect(path).tag.space == "romm" and np.array_equal(decode_picture(path).numbers, deep)
    assert out[16 : len(data)] == data[16:]  # but for the pointer to the first directory nothing moved
    again = format_named("tiff").retagged(out, matrix_profile(OPRGB), "oprgb")
    path.write_bytes(again)
    assert inspect(path).tag.space == "oprgb"


@pytest.mark.parametrize("order", ["<", ">"])
@pytest.mark.parametrize(
    ("family", "claim", "index"), [("srgb", 1, b"R98\0"), ("oprgb", 65535, b"R03\0"), ("p3", 65535, b"\0" * 4)]
)
def test_exif_is_made_to_agree_in_either_byte_order(order, family, claim, index):
    mark = b"II" if order == "<" else b"MM"
    first = struct.pack(order + "HHHIII", 1, 34665, 4, 1, 26, 0)
    exif = struct.pack(order + "H", 2) + struct.pack(order + "HHIHH", 0xA001, 3, 1, 7, 0)
    exif += struct.pack(order + "HHII", 0xA005, 4, 1, 26 + 30) + struct.pack(order + "I", 0)
    iop = struct.pack(order + "HHHI", 1, 1, 2, 4) + b"R77\0" + struct.pack(order + "I", 0)
    block = mark + struct.pack(order + "HI", 42, 8) + first + exif + iop
    out = agreeing(block, family)
    assert len(out) == len(block)
    assert struct.unpack_from(order + "H", out, 26 + 2 + 8)[0] == claim and out[56 + 10 : 56 + 14] == index


@pytest.mark.parametrize(
    "block", [b"", b"II", b"XX*\0" + bytes(20), b"II*\0\xff\xff\xff\x7f", b"MM\0*" + struct.pack(">I", 8) + b"\xff\xff"]
)
def test_exif_that_leads_nowhere_is_left_as_it_is(block):
    assert agreeing(block, "srgb") == block


# ---- JPEG, PNG, WebP ----------------------------------------------------------------------------------------------


def jpeg(icc: bytes | None = None) -> bytes:
    stream = io.BytesIO()
    Image.fromarray(RGB).save(stream, "JPEG", icc_profile=icc)
    return stream.getvalue()


def test_fill_bytes_and_comments_are_passed_over(tmp_path):
    data = jpeg(matrix_profile(P3))
    padded = data[:2] + b"\xff\xff\xff" + data[3:]
    padded = padded[:2] + b"\xff\xfe" + struct.pack(">H", 7) + b"hello" + padded[2:]
    (tmp_path / "a.jpg").write_bytes(padded)
    head = format_at(tmp_path / "a.jpg").head(tmp_path / "a.jpg")
    assert head.colour.icc == matrix_profile(P3) and (head.width, head.height) == (44, 30)
    assert segments_of(io.BytesIO(padded))[0][0].marker == 0xFE


def test_segments_number_themselves_and_a_profile_too_large_is_refused():
    data = icc_segments(bytes(200_000))
    assert data.count(b"ICC_PROFILE\0") == 4 and data[2 + 2 + 12] == 1
    from velkin.core.errors import NotSupported

    with pytest.raises(NotSupported):
        icc_segments(bytes(65519 * 256))


@pytest.mark.parametrize("cut", [1, 3, 20, 200])
def test_cut_jpegs_never_raise_while_looked_at(tmp_path, cut):
    (tmp_path / "a.jpg").write_bytes(jpeg(matrix_profile(P3))[:cut])
    with pytest.raises(UnreadableFile):
        inspect(tmp_path / "a.jpg")


@pytest.mark.parametrize("alpha", [False, True])
@pytest.mark.parametrize("options", [{"lossless": True}, {"quality": 80}])
def test_a_simple_webp_becomes_an_extended_one_with_the_same_picture(tmp_path, alpha, options):
    pixels = np.dstack([RGB, RGB[..., :1]]) if alpha else RGB
    path = tmp_path / "a.webp"
    Image.fromarray(pixels).save(path, "WEBP", **options)
    before = decode_picture(path)
    path.write_bytes(format_named("webp").retagged(path.read_bytes(), matrix_profile(ROMM), "romm"))
    after = decode_picture(path)
    assert np.array_equal(before.numbers, after.numbers) and inspect(path).tag.space == "romm"
    assert (before.alpha is None) == (after.alpha is None)
    path.write_bytes(format_named("webp").retagged(path.read_bytes(), matrix_profile(P3), "p3"))
    assert inspect(path).tag.space == "p3" and path.read_bytes().count(b"ICCP") == 1


def test_claims_of_a_png_go_when_it_gets_a_profile(tmp_path):
    data = bytes(imagecodecs.png_encode(RGB))
    claims = png_chunk(b"sRGB", b"\0") + png_chunk(b"gAMA", struct.pack(">I", 45455)) + png_chunk(b"cICP", bytes([9, 14, 0, 1]))
    path = tmp_path / "a.png"
    path.write_bytes(data[:33] + claims + data[33:])
    assert inspect(path).tag.space == "bt2020"
    path.write_bytes(format_named("png").retagged(path.read_bytes(), matrix_profile(OPRGB), "oprgb"))
    found = inspect(path)
    assert (found.tag.source, found.tag.space, found.notes) == ("icc", "oprgb", ())
    assert np.array_equal(decode_picture(path).numbers, RGB)


@pytest.mark.parametrize(
    ("colour", "pixels"), [("palette", None), ("gray16", np.uint16), ("gray_alpha", np.uint8), ("bits", None)]
)
def test_png_in_its_other_kinds(tmp_path, colour, pixels):
    path = tmp_path / "a.png"
    if colour == "palette":
        Image.fromarray(RGB).quantize(64).save(path)
    elif colour == "bits":
        Image.fromarray(RGB[..., 0] > 99).save(path)
    else:
        gray = RGB[..., 0].astype(np.uint16) * 257 if pixels == np.uint16 else np.dstack([RGB[..., 0], RGB[..., 1]])
        path.write_bytes(bytes(imagecodecs.png_encode(gray)))
    found, picture = inspect(path), decode_picture(path)
    assert (found.width, found.height) == (44, 30)
    assert found.model == picture.model == ("rgb" if colour == "palette" else "gray")
    assert (picture.alpha is not None) == (colour == "gray_alpha") == found.alpha


# ---- JPEG XL and AVIF ---------------------------------------------------------------------------------------------


@pytest.mark.parametrize("size", [(8, 8), (16, 24), (30, 44), (256, 256), (257, 300), (600, 1200), (33, 66), (1, 700)])
@pytest.mark.parametrize("container", [False, True])
def test_the_size_of_a_jpeg_xl_is_read_from_its_header(tmp_path, size, container):
    pixels = np.zeros((*size, 3), np.uint8)
    path = tmp_path / "a.jxl"
    path.write_bytes(bytes(imagecodecs.jpegxl_encode(pixels, lossless=True, usecontainer=container)))
    assert format_at(path).kind.id == "jxl" and size_of(path.read_bytes()) == (size[1], size[0])
    head = format_at(path).head(path)
    assert (head.width, head.height) == (size[1], size[0])


@pytest.mark.parametrize("bits", [8, 10, 12])
def test_deep_avif_comes_as_16_bits(tmp_path, bits):
    path = tmp_path / "a.avif"
    top = (1 << bits) - 1
    pixels = np.full((16, 16, 3), top, np.uint8 if bits == 8 else np.uint16)
    path.write_bytes(bytes(imagecodecs.avif_encode(pixels, bitspersample=bits, level=100)))
    picture = decode_picture(path)
    assert picture.numbers.dtype == (np.uint8 if bits == 8 else np.uint16)
    assert picture.numbers.max() == (255 if bits == 8 else 65535)
    assert inspect(path).bits == bits


def test_every_kind_has_its_format_and_is_delivered_where_that_has_a_place_for_what_is_said():
    assert tuple(f.kind for f in ALL) == kinds.ALL
    assert {f.kind.id for f in ALL if f.holds and f.kind.bits} == set(kinds.DELIVERED)


@pytest.mark.parametrize("known", ALL, ids=lambda f: f.kind.id)
@pytest.mark.parametrize("data", [b"", b"RIFF", bytes(64), b"\x89" * 40, struct.pack(">I4s", 1 << 30, b"meta") + bytes(9)])
def test_nonsense_is_not_recognised(tmp_path, known, data):
    assert not known.recognises(data)


# ---- what words mean ----------------------------------------------------------------------------------------------


def test_code_points_by_the_standard():
    assert [space_of_cicp(c) for c in ((1, 13, 0, 1), (12, 13, 0, 1), (9, 14, 0, 1))] == [SRGB, P3, BT2020]
    linear = space_of_cicp((9, 8, 0, 1))
    assert linear is not None and linear.transfer.is_linear and linear.primaries == BT2020.primaries
    assert space_of_cicp((9, 16, 0, 1)) is None and space_of_cicp((200, 13, 0, 1)) is None  # PQ; reserved


def test_png_numbers_by_what_they_do():
    plain = space_of_png(1 / 2.2, SRGB_POINTS)
    assert plain is not None and plain.id.startswith("png-")  # a plain gamma is more than 1 ΔE00 from sRGB near black
    wide = space_of_png(256 / 563, (*SRGB_POINTS[:4], 0.21, 0.71, 0.15, 0.06))
    assert wide == OPRGB
    for bad in (
        (0.0, SRGB_POINTS),
        (0.45, (0.0,) * 8),
        (0.45, (0.31, 0.33, 0.2, 0.2, 0.3, 0.3, 0.4, 0.4)),
        (99.0, SRGB_POINTS),
    ):
        assert space_of_png(*bad) is None


def test_exif_claims():
    assert space_of_exif(1, "") == SRGB and space_of_exif(65535, "R03") == OPRGB and space_of_exif(None, "R98") == SRGB
    assert space_of_exif(65535, "") is None and space_of_exif(None, "") is None


# ---- colour folders -----------------------------------------------------------------------------------------------


def test_colour_folders_are_read_once_and_loops_end(tmp_path):
    own = OwnSpace("mine", P3.primaries, P3.white, "gamma", 1.7).space()
    folder = tmp_path / "icc"
    (folder / "deep").mkdir(parents=True)
    (folder / "deep" / "one.ICC").write_bytes(matrix_profile(own))
    (folder / "two.icm").write_bytes(matrix_profile(own))
    (folder / "cut.icc").write_bytes(matrix_profile(own)[:99])
    (folder / "note.txt").write_text("no profile")
    (folder / "loop").symlink_to(folder, target_is_directory=True)
    (folder / "self.icc").symlink_to(folder / "self.icc")
    collection = Collection([folder, tmp_path / "absent"])
    assert collection.scan() and not collection.scan()
    assert [s.name for s in collection.spaces()] == ["mine"]
    assert {f.path.name: bool(f.problem) for f in collection.found()} == {"one.ICC": False, "two.icm": False, "cut.icc": True}
    (folder / "cut.icc").unlink()
    assert collection.scan() and len(collection.found()) == 2


def test_own_spaces_are_the_same_through_their_profiles():
    device = np.random.default_rng(1).random((50, 3))
    for kind in ("gamma", "srgb", "l", "linear"):
        own = OwnSpace("mine", P3.primaries, (0.3457, 0.3585), kind, 1.9).space()
        for version in (2, 4):
            read = space_of(matrix_profile(own, version))  # type: ignore[arg-type]
            assert read.name == "mine" and read.family == ""
            # version 2 holds a gamma in steps of 1/256
            assert np.abs(read.decode(device) - own.decode(device)).max() < (1e-3 if version == 2 else 5e-5)  # type: ignore[union-attr]
