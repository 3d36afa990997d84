"""Everybody's files: legal but awkward ones of every format, read as the standards say."""

from __future__ import annotations

import struct
import time
from pathlib import Path

import imagecodecs
import numpy as np
import pytest
import tifffile
from PIL import Image

from tests.core.awkward import (
    RGB,
    coded,
    plain_tiff,
    png,
    save,
    segment,
    several,
    short,
    text,
    tiff,
    with_segments,
)
from velkin.core.errors import UnreadableFile
from velkin.core.files.coding import Coding
from velkin.core.files.encode import encode_numbers
from velkin.core.files.exif_block import ExifTree, Value, written
from velkin.core.files.formats import format_at
from velkin.core.files.formats.png import chunk
from velkin.core.files.jpeg_structure import EXIF_MARK, XMP_MARK
from velkin.core.files.picture import Picture, decode_picture, upright_by
from velkin.core.files.source_contents import contents_of
from velkin.core.handoff.copies import CopyWish, write_copy
from velkin.core.icc.space import grays, space_of
from velkin.core.icc.write import matrix_profile
from velkin.core.spaces.rgb import OPRGB, P3, ROMM, SRGB
from velkin.core.stages.steps import Assign, Convert
from velkin.core.tags.inspect import inspect

GRAY = RGB[..., 0]


# ---- TIFF ---------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("bits", [1, 2, 4, 6, 10, 12, 14])
@pytest.mark.parametrize("white_is_zero", [False, True])
def test_a_tiff_of_any_bits_fills_its_range(tmp_path, bits, white_is_zero):
    top = (1 << bits) - 1
    samples = np.random.default_rng(bits).integers(0, top + 1, (7, 13))
    samples[0, :2] = (0, top)
    path = save(tmp_path / "a.tif", plain_tiff(samples, bits, 0 if white_is_zero else 1))
    picture = decode_picture(path)
    whole = 255 if bits <= 8 else 65535
    meant = np.round((top - samples if white_is_zero else samples) / top * whole)
    assert picture.model == "gray" and np.abs(picture.numbers[..., 0] - meant).max() <= 0.5
    assert inspect(path).bits == bits


@pytest.mark.parametrize("kind", [np.int8, np.int16, np.int32, np.uint32, np.uint64])
def test_signed_and_wide_integers_fill_their_range(tmp_path, kind):
    info = np.iinfo(kind)
    samples = np.linspace(info.min / 2, info.max / 2, 40).astype(kind).reshape(5, 8)
    samples[0, 0], samples[-1, -1] = info.min, info.max
    tifffile.imwrite(tmp_path / "a.tif", samples, photometric="minisblack")
    numbers = decode_picture(tmp_path / "a.tif").numbers[..., 0]
    share = (samples.astype(np.float64) - info.min) / (float(info.max) - info.min)
    assert np.abs(numbers / np.iinfo(numbers.dtype).max - share).max() < 1 / 200
    assert (numbers[0, 0], numbers[-1, -1]) == (0, np.iinfo(numbers.dtype).max)


def test_a_palette_of_one_bit_and_one_with_transparency(tmp_path):
    table = struct.pack("<6H", 0, 65535, 0, 32768, 65535, 0)
    samples = np.array([[0, 1, 1, 0, 1]])
    path = save(tmp_path / "a.tif", plain_tiff(samples, 1, 3, ((320, 3, 6, table),)))
    picture = decode_picture(path)
    assert picture.model == "rgb" and picture.numbers[0, 1].tolist() == [65535, 32768, 0]
    rows = [
        (256, 3, 1, short(2)),
        (257, 3, 1, short(1)),
        (258, 3, 2, short(8) * 2),
        (259, 3, 1, short(1)),
        (262, 3, 1, short(3)),
    ]
    rows += [(277, 3, 1, short(2)), (278, 3, 1, short(1)), (320, 3, 768, bytes(range(256)) * 6), (338, 3, 1, short(2))]
    picture = decode_picture(save(tmp_path / "b.tif", tiff(rows, bytes((3, 255, 9, 0)))))
    assert picture.alpha is not None and (picture.alpha > 0).tolist() == [[True, False]]


@pytest.mark.parametrize("coding", ["group3", "group4", "tiff_ccitt", "packbits", "tiff_lzw", "tiff_adobe_deflate"])
def test_pages_of_black_and_white_come_out_as_they_are(tmp_path, coding):
    page = np.ones((200, 333), bool)
    page[20:180:7, 11:300] = False
    Image.fromarray(page).save(tmp_path / "a.tif", compression=coding)
    picture = decode_picture(tmp_path / "a.tif")
    assert np.array_equal(picture.numbers[..., 0] > 0, page)


@pytest.mark.parametrize("extra", [(), ("unassalpha",), ("assocalpha",), ("unspecified", "unspecified")])
@pytest.mark.parametrize("planar", ["contig", "separate"])
@pytest.mark.parametrize("tile", [None, (16, 16)])
def test_planes_tiles_at_odd_edges_and_more_channels(tmp_path, extra, planar, tile):
    data = np.random.default_rng(1).integers(0, 65536, (33, 47, 3 + len(extra)), dtype=np.uint16)
    if extra == ("assocalpha",):
        data[..., 3] = 40000
        data[..., :3] = data[..., :3] // 2
    stored = np.moveaxis(data, -1, 0) if planar == "separate" else data
    tifffile.imwrite(tmp_path / "a.tif", stored, photometric="rgb", planarconfig=planar, extrasamples=extra, tile=tile)
    picture = decode_picture(tmp_path / "a.tif")
    meant = np.minimum(np.round(data[..., :3] / (40000 / 65535)), 65535) if extra == ("assocalpha",) else data[..., :3]
    assert np.abs(picture.numbers - meant).max() <= 1
    if extra:
        assert picture.clear is (extra != ("unspecified", "unspecified"))
    assert inspect(tmp_path / "a.tif").channels == 3 + len(extra)


def test_directories_that_lead_back_end_at_once(tmp_path):
    samples = np.zeros((2, 2), int)
    data = bytearray(plain_tiff(samples, 8, 1))
    count = struct.unpack_from("<H", data, 8)[0]
    struct.pack_into("<I", data, 8 + 2 + 12 * count, 8)  # the next directory is the first
    to_itself = ((330, 4, 1, struct.pack("<I", 8)), (34665, 4, 1, struct.pack("<I", 8)), (34853, 4, 1, struct.pack("<I", 8)))
    begun = time.monotonic()
    for path in (save(tmp_path / "a.tif", bytes(data)), save(tmp_path / "b.tif", plain_tiff(samples, 8, 1, to_itself))):
        assert (inspect(path).pages, decode_picture(path).numbers.shape) == (1, (2, 2, 1))
        contents_of(path)
    assert time.monotonic() - begun < 30  # it ran for ever


def test_a_tiny_tiff_that_claims_to_be_huge_is_refused_before_it_is_decoded(tmp_path):
    rows = [
        (256, 4, 1, struct.pack("<I", 19000)),
        (257, 4, 1, struct.pack("<I", 19000)),
        (258, 3, 1, short(8)),
        (259, 3, 1, short(5)),
    ]
    rows += [(262, 3, 1, short(1)), (277, 3, 1, short(1)), (278, 4, 1, struct.pack("<I", 19000))]
    path = save(tmp_path / "a.tif", tiff(rows, bytes(40)))
    with pytest.raises(UnreadableFile, match="holds bytes for far fewer"):
        decode_picture(path)


@pytest.mark.parametrize("compression", ["none", "lzw", "deflate"])
@pytest.mark.parametrize("kind", [np.uint8, np.uint16, np.float32])
def test_a_written_tiff_is_the_same_for_other_readers(tmp_path, compression, kind):
    top = 1.0 if kind == np.float32 else float(np.iinfo(kind).max)
    numbers = (np.random.default_rng(2).random((90, 70, 3)) * top).astype(kind)
    source = save(
        tmp_path / "s.jpg", with_segments(coded(), segment(0xE1, EXIF_MARK + written(ExifTree(">", {271: text("Madderfold")}))))
    )
    picture = Picture(numbers, None, "rgb")
    data = encode_numbers(
        picture, "tiff", matrix_profile(P3), family="p3", source=source, coding=Coding(compression=compression)
    ).data
    path = save(tmp_path / "a.tif", data)
    with tifffile.TiffFile(path) as tif:
        assert len(tif.pages) == 1 and np.array_equal(tif.pages[0].asarray(), numbers)
        assert (tif.pages[0].tags[271].value, tif.byteorder) == ("Madderfold", ">")
    assert np.array_equal(imagecodecs.tiff_decode(data), numbers)
    assert inspect(path).icc == matrix_profile(P3)


# ---- PNG ----------------------------------------------------------------------------------------------------------


def test_sixteen_bits_stay_so_where_one_colour_is_transparent(tmp_path):
    deep = RGB.astype(np.uint16) * 257
    deep[3, 4] = (513, 1027, 65001)
    path = save(tmp_path / "a.png", png(deep, chunk(b"tRNS", struct.pack(">3H", 513, 1027, 65001))))
    picture = decode_picture(path)
    assert picture.numbers.dtype == np.uint16 and np.array_equal(picture.numbers, deep)
    assert picture.alpha is not None and np.argwhere(picture.alpha == 0).tolist() == [[3, 4]]
    gray = save(tmp_path / "b.png", png(deep[..., 0].copy(), chunk(b"tRNS", struct.pack(">H", 513))))
    assert decode_picture(gray).model == "gray" and inspect(gray).alpha


def test_damage_beside_the_picture_does_not_stand_in_its_way(tmp_path):
    path = save(
        tmp_path / "a.png", png(RGB, chunk(b"iCCP", b"x\0\0nonsense"), chunk(b"acTL", bytes(8)), chunk(b"zTXt", b"a\0\0junk"))
    )
    assert inspect(path).tag.state == "damaged" and np.array_equal(decode_picture(path).numbers, RGB)


# ---- gray ---------------------------------------------------------------------------------------------------------


def test_gray_that_declares_srgb_is_gray_with_its_curve(tmp_path):
    by_chunk = save(tmp_path / "a.png", png(GRAY.copy(), chunk(b"sRGB", b"\0")))
    block = written(ExifTree("<", {}, {40961: Value(3, 1, short(1))}))
    by_exif = save(tmp_path / "b.jpg", with_segments(coded(GRAY), segment(0xE1, EXIF_MARK + block)))
    by_points = save(tmp_path / "c.png", png(GRAY.copy(), chunk(b"cICP", bytes((1, 13, 0, 1)))))
    for path, state in ((by_chunk, "tagged"), (by_exif, "claimed"), (by_points, "tagged")):
        found = inspect(path)
        assert (found.tag.state, found.tag.space, found.said) == (state, "srgb", grays()["gray-srgb"])
        out = tmp_path / f"{path.stem}.tif"
        write_copy(path, found.said, (Convert(SRGB),), CopyWish(out, dither=False))
        numbers = decode_picture(out).numbers
        assert np.abs(numbers.astype(int) - decode_picture(path).numbers).max() <= 1  # the same curve, three times


def test_dot_gain_is_told_by_its_half_tone():
    from velkin.core.conversion.light import lab_of

    for identifier, gain in (("gray-dot-15", 0.15), ("gray-dot-20", 0.20)):
        lab = lab_of(np.array([[[0.5], [1.0], [0.0]]], np.float32), grays()[identifier])[0]
        light = ((lab[:, 0] + 16) / 116) ** 3
        assert np.allclose(light[:2], (1 - (0.5 + gain), 1.0), atol=2e-3) and lab[2, 0] == pytest.approx(0, abs=0.1)


# ---- several pictures ---------------------------------------------------------------------------------------------


def _sequences(folder: Path) -> dict[str, Path]:
    frames = [Image.fromarray(RGB), Image.fromarray(255 - RGB), Image.fromarray(RGB[::-1].copy())]
    for name, options in (
        ("a.webp", {"lossless": True}),
        ("a.png", {}),
        ("a.tif", {}),
        ("a.avif", {"quality": 100, "subsampling": "4:4:4"}),
    ):
        frames[0].save(folder / name, save_all=True, append_images=frames[1:], **options)
    save(folder / "a.jpg", several(coded(), coded(255 - RGB), coded(RGB[::-1].copy())))
    return {p.suffix[1:]: p for p in folder.iterdir()}


@pytest.mark.parametrize("kind", ["webp", "png", "tif", "avif", "jpg"])
def test_several_pictures_are_counted_and_each_can_be_taken(tmp_path, kind):
    path = _sequences(tmp_path)[kind]
    assert inspect(path).pages == 3
    for page, meant in enumerate((RGB, 255 - RGB, RGB[::-1])):
        loss = {"jpg": 40, "avif": 12}.get(kind, 0)
        assert np.abs(decode_picture(path, page).numbers.astype(int) - meant).max() <= loss
    with pytest.raises(UnreadableFile, match="it holds 3 pictures"):
        inspect(path, 3)
    done = write_copy(path, SRGB, (Convert(P3),), CopyWish(tmp_path / "out.tif", page=1))
    assert "other picture" in done.left or "another picture" in done.left or "first picture" in done.left


# ---- orientation --------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("orientation", range(1, 9))
def test_every_format_is_turned_once(tmp_path, orientation):
    block = written(ExifTree("<", {274: Value(3, 1, short(orientation))}))
    meant = upright_by(orientation, RGB)
    exif = Image.Exif()
    exif[0x0112] = orientation
    save(tmp_path / "a.jpg", with_segments(coded(), segment(0xE1, EXIF_MARK + block)))
    save(tmp_path / "a.png", png(RGB, chunk(b"eXIf", block)))
    behind = png(RGB)  # Exif may come after the picture
    save(tmp_path / "b.png", behind[:-12] + chunk(b"eXIf", block) + behind[-12:])
    Image.fromarray(RGB).save(tmp_path / "a.webp", lossless=True, exif=EXIF_MARK + block)
    Image.fromarray(RGB).save(tmp_path / "a.avif", quality=100, subsampling="4:4:4", exif=exif)  # as irot and imir
    tifffile.imwrite(tmp_path / "a.tif", RGB, photometric="rgb", extratags=[(274, 3, 1, orientation, True)])
    import pylibjxl

    (tmp_path / "a.jxl").write_bytes(bytes(pylibjxl.jpeg_to_jxl((tmp_path / "a.jpg").read_bytes())))
    words = f'<x:xmpmeta xmlns:x="adobe:ns:meta/"><tiff:Orientation>{orientation}</tiff:Orientation></x:xmpmeta>'
    save(tmp_path / "b.jpg", with_segments(coded(), segment(0xE1, XMP_MARK + words.encode())))
    for path in sorted(tmp_path.iterdir()):
        found, picture = inspect(path), decode_picture(path)
        assert (found.height, found.width) == meant.shape[:2] == picture.numbers.shape[:2], path.name
        assert np.abs(picture.numbers.astype(int) - meant).mean() < 5, path.name


# ---- AVIF, HEIF, JPEG XL ------------------------------------------------------------------------------------------


def test_unspecified_code_points_say_nothing(tmp_path):
    path = save(tmp_path / "a.avif", bytes(imagecodecs.avif_encode(RGB, level=90, primaries=2, transfer=2, matrix=1)))
    assert inspect(path).tag.state == "untagged"


def test_an_avif_is_retagged_without_its_picture_being_touched(tmp_path):
    frames = [Image.fromarray(RGB), Image.fromarray(255 - RGB)]
    exif = Image.Exif()
    exif[0x010F] = "Madderfold"
    frames[0].save(tmp_path / "a.avif", quality=90, exif=exif)
    frames[0].save(tmp_path / "b.avif", quality=90, save_all=True, append_images=frames[1:], icc_profile=matrix_profile(SRGB))
    for path in (tmp_path / "a.avif", tmp_path / "b.avif"):
        out = tmp_path / f"out-{path.name}"
        done = write_copy(path, None, (Assign(ROMM),), CopyWish(out))
        assert done.in_place and inspect(out).tag.space == "romm" and inspect(out).make == inspect(path).make
        for page in range(inspect(path).pages):
            assert np.array_equal(decode_picture(out, page).numbers, decode_picture(path, page).numbers)
        with Image.open(out) as other:
            assert other.info["icc_profile"] == matrix_profile(ROMM)


def test_deep_numbers_go_into_an_avif_in_twelve_bits_and_come_back(tmp_path):
    deep = (np.linspace(0, 65535, 64 * 48 * 3).reshape(48, 64, 3)).astype(np.uint16)
    data = encode_numbers(
        Picture(deep, None, "rgb"), "avif", matrix_profile(P3), family="p3", source=None, coding=Coding(quality=100)
    ).data
    path = save(tmp_path / "a.avif", data)
    assert (inspect(path).bits, inspect(path).tag.space) == (12, "p3")
    assert np.abs(decode_picture(path).numbers.astype(int) - deep).max() <= 16 * 8


@pytest.mark.parametrize("bits", [8, 10])
def test_heif_is_read_with_profile_exif_orientation_and_bits(tmp_path, bits):
    import pillow_heif

    smooth = np.repeat(np.linspace(0, 1, 64)[None, :, None], 48, axis=0) * np.ones(3)
    path = tmp_path / "a.heic"
    block = EXIF_MARK + written(ExifTree("<", {271: text("Madderfold"), 274: Value(3, 1, short(6))}))
    if bits == 8:
        made = pillow_heif.from_bytes("RGB", (64, 48), np.round(smooth * 255).astype(np.uint8).tobytes())
    else:
        made = pillow_heif.from_bytes("RGB;16", (64, 48), np.round(smooth * 65535).astype(np.uint16).tobytes())
    made.info["icc_profile"], made.info["icc_profile_type"] = matrix_profile(P3), "prof"
    made.save(path, quality=-1, chroma=444, exif=block)
    found, picture = inspect(path), decode_picture(path)
    assert (found.format, found.tag.space, found.bits, found.make) == ("heic", "p3", bits, "Madderfold")
    assert (found.width, found.height) == picture.numbers.shape[1::-1]
    top = 255 if bits == 8 else 65535
    turned = smooth if found.width == 64 else upright_by(6, smooth)
    assert np.abs(picture.numbers / top - turned).max() < 0.03
    assert picture.numbers.max() >= 0.99 * top


def test_metadata_of_a_jpeg_xl_lie_where_any_reader_finds_them(tmp_path):
    source = save(
        tmp_path / "s.jpg", with_segments(coded(), segment(0xE1, EXIF_MARK + written(ExifTree("<", {271: text("Madderfold")}))))
    )
    path = save(
        tmp_path / "a.jxl",
        encode_numbers(Picture(RGB, None, "rgb"), "jxl", matrix_profile(P3), family="p3", source=source).data,
    )
    data = path.read_bytes()
    assert b"brob" not in data and data[data.index(b"Exif") + 4 :][:6] == b"\0\0\0\0II"
    assert (inspect(path).make, inspect(path).tag.space) == ("Madderfold", "p3")


# ---- destinations -------------------------------------------------------------------------------------------------


def test_lab_with_a_way_back_is_a_destination_and_means_what_it_says(tmp_path):
    from velkin.core.icc.transform import device_values, to_lab

    lab_profile = _lab_profile()
    space = space_of(lab_profile)
    path = save(tmp_path / "a.png", png(RGB, chunk(b"sRGB", b"\0")))
    write_copy(path, SRGB, (Convert(space),), CopyWish(tmp_path / "a.tif", bits=16, dither=False))
    found, picture = inspect(tmp_path / "a.tif"), decode_picture(tmp_path / "a.tif")
    assert (found.model, found.tag.state) == ("lab", "tagged")
    meant = to_lab(RGB.reshape(-1, 3) / 255, matrix_profile(SRGB), "rgb")
    n = picture.numbers.reshape(-1, 3)
    assert np.abs(n * (100, 255, 255) - (0, 128, 128) - meant).max() < 0.1
    back = device_values(meant[:4], _lab_identity(), "lab", lab_profile, "lab")
    assert np.abs(back - n[:4]).max() < 2e-3


def _lab_identity() -> bytes:
    return bytes(imagecodecs.cms_profile("lab4"))


def _lab_profile() -> bytes:
    """A colour-space profile of Lab with Lab as connection space: tables of 2 × 2 × 2, version 2 (lut16Type)."""
    from velkin.core.icc.write import assemble, description_v2, text_v2, xyz_tag
    from velkin.core.spaces.adaptation import D50

    grid = np.stack(np.meshgrid(*[[0.0, 1.0]] * 3, indexing="ij"), axis=-1).reshape(-1)
    codes = np.round(grid * 65535).astype(">u2").tobytes()
    ends = struct.pack(">HH", 0, 65535) * 3
    matrix = b"".join(struct.pack(">i", v << 16) for v in (1, 0, 0, 0, 1, 0, 0, 0, 1))
    table = b"mft2\0\0\0\0" + bytes((3, 3, 2, 0)) + matrix + struct.pack(">HH", 2, 2) + ends + codes + ends
    tags = [
        (b"desc", description_v2("Lab as numbers")),
        (b"cprt", text_v2("none")),
        (b"wtpt", xyz_tag(D50)),
        (b"A2B0", table),
        (b"B2A0", table),
    ]
    return assemble(tags, 2, kind=b"spac", connection=b"Lab ", model=b"Lab ")


def test_a_space_whose_curve_is_level_at_its_ends_has_its_black_next_to_the_rest():
    from velkin.core.spaces.transfer import Sampled

    beyond = np.clip((np.linspace(0, 1, 2048) * 2.2 - 0.6), 0, 1) ** 2.2  # numbers below 0.27 and above 0.73 all mean the same
    curve = Sampled(beyond)
    dark = curve.encode(np.array([0.0, 1e-7, 1e-5, 1.0]))
    assert abs(dark[0] - dark[1]) < 2e-3 and 0.26 < dark[0] < 0.28 and 0.72 < dark[3] < 0.74
    assert np.allclose(curve.decode(dark), [0, 1e-7, 1e-5, 1], atol=1e-6)


def test_opened_formats_are_the_ones_their_bytes_say(tmp_path):
    path = save(tmp_path / "a.tif", coded())  # a JPEG that is called a TIFF
    assert format_at(path).kind.id == "jpeg" and inspect(path).format == "jpeg"
    assert space_of(matrix_profile(OPRGB)).family == "oprgb"
