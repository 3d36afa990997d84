"""What files say of their colour, and tagged copies: assign touches no sample, convert keeps the look."""

from __future__ import annotations

import io
import os
import struct
import zlib
from pathlib import Path

import exiv2
import imagecodecs
import numpy as np
import pytest
import tifffile
from PIL import Image

from velkin.core.conversion.light import lab_of
from velkin.core.errors import BadProfile, NotSupported, OutputRefused, UnreadableFile, VelkinError
from velkin.core.files.encode import encode_numbers
from velkin.core.files.exif import exif_facts
from velkin.core.files.formats import format_at, format_named
from velkin.core.files.formats.jpeg import icc_segments
from velkin.core.files.picture import Picture, decode_picture
from velkin.core.handoff.copies import CopyWish, retag_source, write_copy
from velkin.core.icc.space import LAB, ICCSpace, grays, profile_of, space_of
from velkin.core.icc.write import matrix_profile
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.rgb import BUILT_IN, OPRGB, P3, ROMM, SRGB
from velkin.core.stages.steps import Assign, Convert
from velkin.core.tags.inspect import inspect
from velkin.sim.press import press_profile

RNG = np.random.default_rng(4)
RGB = (RNG.random((40, 56, 3)) * 255).astype(np.uint8)
RGB[:20] = np.linspace(0, 255, 56)[None, :, None]


@pytest.fixture(scope="module")
def press() -> ICCSpace:
    space = space_of(press_profile(4))
    assert isinstance(space, ICCSpace)
    return space


def with_exif(path: Path, colour_space: int | None, index: str = "") -> None:
    image = exiv2.ImageFactory.open(str(path))
    image.readMetadata()
    exif = image.exifData()
    exif["Exif.Image.Make"] = "Velkin"
    if colour_space is not None:
        exif["Exif.Photo.ColorSpace"] = exiv2.UShortValue(colour_space)
    if index:
        exif["Exif.Iop.InteroperabilityIndex"] = index
    image.setExifData(exif)
    image.iptcData()["Iptc.Application2.Headline"] = "skeins"
    image.xmpData()["Xmp.dc.source"] = "the mill"
    image.writeMetadata()


def write(path: Path, icc: bytes | None = None, numbers: np.ndarray = RGB) -> Path:
    kind = path.suffix[1:]
    if kind == "tif":
        photometric = {4: "separated", 1: "minisblack"}.get(numbers.shape[-1] if numbers.ndim == 3 else 1, "rgb")
        tifffile.imwrite(path, numbers, photometric=photometric, iccprofile=icc, metadata=None)
    elif kind == "png":
        data = bytes(imagecodecs.png_encode(numbers))
        path.write_bytes(format_named("png").retagged(data, icc, "") if icc else data)
    elif kind == "jxl":
        stream = io.BytesIO()
        Image.fromarray(numbers).save(stream, "JPEG", quality=90, icc_profile=icc)
        path.write_bytes(
            bytes(imagecodecs.jpegxl_encode_jpeg(stream.getvalue()))
        )  # a JPEG packed without loss, profile and all
    else:
        name = {"jpg": "JPEG", "webp": "WEBP", "avif": "AVIF"}[kind]
        options = {"lossless": True} if kind == "webp" else {"quality": 90}
        Image.fromarray(numbers).save(path, name, icc_profile=icc, **options)
    return path


FORMATS = ["a.jpg", "a.png", "a.tif", "a.webp", "a.avif", "a.jxl"]


@pytest.mark.parametrize("name", FORMATS)
@pytest.mark.parametrize("space", [SRGB, OPRGB, ROMM], ids=lambda s: s.id)
def test_an_embedded_profile_is_found_and_known_by_what_it_does(tmp_path, name, space):
    found = inspect(write(tmp_path / name, matrix_profile(space, 2)))
    assert (found.tag.state, found.tag.source, found.tag.space) == ("tagged", "icc", space.id)
    assert (found.width, found.height, found.channels, found.model) == (56, 40, 3, "rgb")
    assert found.said is not None and found.said.name == space.name
    assert decode_picture(tmp_path / name).numbers.shape == (40, 56, 3)


@pytest.mark.parametrize("name", ["a.jpg", "a.png", "a.tif", "a.webp"])
def test_a_file_without_a_tag_says_so_and_a_claim_is_only_a_claim(tmp_path, name):
    path = write(tmp_path / name)
    assert inspect(path).tag.state == "untagged" and inspect(path).said is None
    with_exif(path, 65535)
    assert inspect(path).tag.state == "untagged"
    with_exif(path, 65535, "R03")
    assert (inspect(path).tag.state, inspect(path).tag.space) == ("claimed", "oprgb")
    with_exif(path, 1, "R98")
    assert (inspect(path).tag.state, inspect(path).tag.source, inspect(path).tag.space) == ("claimed", "exif", "srgb")


def test_contradictions_are_said_and_the_profile_wins(tmp_path):
    path = write(tmp_path / "a.jpg", matrix_profile(OPRGB))
    with_exif(path, 1)
    found = inspect(path)
    assert found.tag.space == "oprgb" and any("Exif says sRGB" in n for n in found.notes)
    assert [s.says for s in found.statements][:2] == ["opRGB", "sRGB"]


def test_a_profile_that_calls_itself_something_else_is_caught(tmp_path):
    lying = matrix_profile(OPRGB).replace("opRGB".encode("utf-16-be"), "sRGB ".encode("utf-16-be"))
    found = inspect(write(tmp_path / "a.png", lying))
    assert found.tag.space == "oprgb" and found.tag.description == "sRGB"
    assert any("calls itself sRGB and does opRGB" in n for n in found.notes)


def test_a_large_profile_over_many_jpeg_segments(tmp_path, press):
    path = tmp_path / "a.jpg"
    Image.fromarray(np.dstack([RGB, RGB[..., :1]]), "CMYK").save(path, icc_profile=press.icc)
    assert len(press.icc) > 5 * 65519
    found = inspect(path)
    assert (found.model, found.channels, found.tag.state) == ("cmyk", 4, "tagged") and found.icc == press.icc
    data = path.read_bytes()
    at = data.index(b"ICC_PROFILE\0\x03")
    broken = data[: at - 4] + data[at - 4 + 2 + int.from_bytes(data[at - 2 : at], "big") :]
    path.write_bytes(broken)
    assert inspect(path).tag.state == "damaged" and any("missing" in n for n in inspect(path).notes)


@pytest.mark.parametrize("spoil", ["cut", "model", "class", "offset"])
@pytest.mark.parametrize("name", ["a.jpg", "a.png", "a.tif", "a.webp"])
def test_profiles_that_cannot_be_used_are_damaged_tags_not_errors(tmp_path, name, spoil):
    icc = bytearray(matrix_profile(SRGB))
    if spoil == "cut":
        icc = icc[:300]
    elif spoil == "model":
        icc = bytearray(profile_of(grays()["gray-22"]))
    elif spoil == "class":
        icc[12:16] = b"abst"
    else:
        struct.pack_into(">I", icc, 132 + 4, 1 << 30)
    found = inspect(write(tmp_path / name, bytes(icc)))
    assert (found.tag.state, found.tag.source, found.said) == ("damaged", "icc", None)


def test_a_profile_packed_to_explode_is_not_unpacked(tmp_path):
    data = bytes(imagecodecs.png_encode(RGB))
    bomb = zlib.compress(bytes(100 << 20), 9)
    chunk = b"iCCP" + b"x\0\0" + bomb
    whole = struct.pack(">I", len(chunk) - 4) + chunk + struct.pack(">I", zlib.crc32(chunk))
    (tmp_path / "a.png").write_bytes(data[:33] + whole + data[33:])
    found = inspect(tmp_path / "a.png")
    assert found.tag.state == "damaged" and any("more than 64 MB" in n for n in found.notes)


def test_headers_that_ask_for_too_much_are_refused(tmp_path):
    data = bytearray(imagecodecs.png_encode(RGB))
    struct.pack_into(">II", data, 16, 60000, 60000)
    struct.pack_into(">I", data, 29, zlib.crc32(bytes(data[12:29])))
    (tmp_path / "a.png").write_bytes(data)
    for look in (inspect, decode_picture):
        with pytest.raises(UnreadableFile, match="400 million"):
            look(tmp_path / "a.png")


def test_avif_code_points_are_a_tag(tmp_path):
    Image.fromarray(RGB).save(tmp_path / "a.avif", "AVIF", quality=90)
    assert format_at(tmp_path / "a.avif").head(tmp_path / "a.avif").colour.cicp is not None
    assert (inspect(tmp_path / "a.avif").tag.state, inspect(tmp_path / "a.avif").tag.space) == ("tagged", "srgb")


def test_a_file_of_several_pictures_lets_one_be_chosen(tmp_path):
    path = tmp_path / "a.tif"
    with tifffile.TiffWriter(path) as tif:
        tif.write(RGB, photometric="rgb", iccprofile=matrix_profile(SRGB))
        tif.write(RGB[:10, :10], photometric="rgb", subfiletype=1)
        tif.write(RGB[::2, ::2].copy(), photometric="rgb", iccprofile=matrix_profile(P3))
    first, second = inspect(path), inspect(path, 1)
    assert first.pages == 2 and (second.width, second.tag.space) == (28, "p3")
    assert np.array_equal(decode_picture(path, 1).numbers, RGB[::2, ::2])
    with pytest.raises(UnreadableFile, match="2 pictures"):
        inspect(path, 2)
    data = format_named("tiff").retagged(path.read_bytes(), matrix_profile(OPRGB), "oprgb", page=1)
    path.write_bytes(data)
    assert [inspect(path, n).tag.space for n in (0, 1)] == ["srgb", "oprgb"]


@pytest.mark.parametrize("dtype", [np.uint8, np.uint16, np.float32])
@pytest.mark.parametrize(
    "options", [{}, {"tile": (16, 16)}, {"compression": "zlib", "predictor": True}, {"planarconfig": "separate"}]
)
def test_tiff_in_all_its_shapes(tmp_path, dtype, options):
    numbers = (RGB / 255 * (1 if dtype == np.float32 else np.iinfo(dtype).max)).astype(dtype)
    stored = np.moveaxis(numbers, -1, 0).copy() if "planarconfig" in options else numbers
    tifffile.imwrite(tmp_path / "a.tif", stored, photometric="rgb", metadata=None, **options)
    picture = decode_picture(tmp_path / "a.tif")
    assert np.array_equal(picture.numbers, numbers) and picture.numbers.dtype == dtype
    out = tmp_path / "b.tif"
    write_copy(tmp_path / "a.tif", None, (Assign(OPRGB),), CopyWish(out))
    assert np.array_equal(decode_picture(out).numbers, numbers) and inspect(out).tag.space == "oprgb"


def test_numbers_that_are_none_are_said_and_replaced(tmp_path):
    numbers = RGB.astype(np.float32) / 255
    numbers[0, 0], numbers[0, 1] = np.nan, np.inf
    tifffile.imwrite(tmp_path / "a.tif", numbers, photometric="rgb")
    picture = decode_picture(tmp_path / "a.tif")
    assert picture.not_numbers == 6 and np.isfinite(picture.numbers).all()


def test_lab_pictures_come_in_both_encodings(tmp_path):
    meant = np.array([[[50.0, 20.0, -40.0], [80.0, -30.0, 60.0]]])
    eight = np.round(meant * [2.55, 1, 1] + [0, 128, 128]).astype(np.uint8)
    tifffile.imwrite(tmp_path / "icc.tif", eight, photometric="icclab")
    signed = eight.copy()
    signed[..., 1:] ^= 0x80
    tifffile.imwrite(tmp_path / "cie.tif", signed, photometric="cielab")
    sixteen = np.round(meant * [652.8, 256, 256] + [0, 32768, 32768]).astype(np.uint16)
    tifffile.imwrite(tmp_path / "deep.tif", sixteen, photometric="icclab")
    for name, near in (("icc.tif", 0.6), ("cie.tif", 0.6), ("deep.tif", 0.01)):
        picture = decode_picture(tmp_path / name)
        numbers = picture.numbers / (255 if picture.numbers.dtype == np.uint8 else 1)
        assert np.allclose(lab_of(numbers.astype(np.float32), LAB), meant, atol=near)
        assert inspect(tmp_path / name).said is LAB


# ---- assigning ----------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("name", ["a.jpg", "a.png", "a.tif", "a.webp"])
@pytest.mark.parametrize("before", [None, SRGB])
def test_assigning_keeps_every_sample_and_makes_exif_agree(tmp_path, name, before):
    path = write(tmp_path / name, matrix_profile(before) if before else None)
    with_exif(path, 1, "R98")
    source = path.read_bytes()
    for space, said in ((OPRGB, 65535), (ROMM, 65535), (SRGB, 1)):
        out = tmp_path / f"{space.id}-{name}"
        done = write_copy(path, None, (Assign(space),), CopyWish(out))
        assert done.in_place and path.read_bytes() == source
        found = inspect(out)
        assert (found.tag.space, found.notes) == (space.id, ())
        assert found.icc == matrix_profile(space)
        assert np.array_equal(decode_picture(out).numbers, decode_picture(path).numbers)
        facts = exif_facts(out)
        assert (facts.colour_space, facts.make) == (said, "Velkin")
        assert facts.interoperability.strip("\0") == {"srgb": "R98", "oprgb": "R03"}.get(space.id, "")
        with Image.open(out) as picture:
            picture.load()
            assert picture.info["icc_profile"] == matrix_profile(space)


def test_a_retagged_jpeg_keeps_its_compressed_data(tmp_path, press):
    path = write(tmp_path / "a.jpg", matrix_profile(SRGB))
    out = tmp_path / "b.jpg"
    write_copy(path, None, (Assign(P3),), CopyWish(out))
    scan = b"\xff\xda"
    assert out.read_bytes().split(scan, 1)[1] == path.read_bytes().split(scan, 1)[1]
    assert len(icc_segments(press.icc)) > len(press.icc)


def test_assigning_into_another_format_only_where_nothing_is_lost(tmp_path):
    path = write(tmp_path / "a.jpg")
    for name in ("b.tif", "b.png"):
        write_copy(path, None, (Assign(OPRGB),), CopyWish(tmp_path / name))
        assert np.array_equal(decode_picture(tmp_path / name).numbers, decode_picture(path).numbers)
    for source, name in ((path, "b.webp"), (write(tmp_path / "c.jxl"), "d.jxl"), (path, "x.bmp")):
        with pytest.raises(NotSupported):
            write_copy(source, None, (Assign(OPRGB),), CopyWish(tmp_path / name))
        assert not (tmp_path / name).exists()


def test_a_space_of_another_model_is_refused(tmp_path, press):
    for name in ("a.jpg", "a.tif"):
        with pytest.raises(BadProfile, match="cmyk"):
            write_copy(write(tmp_path / name), None, (Assign(press),), CopyWish(tmp_path / f"o{name}"))


def test_no_copy_over_its_source_and_none_over_another_file(tmp_path):
    path, other = write(tmp_path / "a.png"), write(tmp_path / "b.png")
    os.link(path, tmp_path / "same.png")
    before = path.read_bytes()
    for out in (path, tmp_path / "same.png", other):
        with pytest.raises(OutputRefused):
            write_copy(path, None, (Assign(OPRGB),), CopyWish(out))
    with pytest.raises(OutputRefused):
        write_copy(path, None, (Assign(OPRGB),), CopyWish(path, replace=True))
    assert path.read_bytes() == before


def test_a_source_is_retagged_only_by_its_own_command(tmp_path, monkeypatch):
    path = write(tmp_path / "a.jpg")
    numbers = decode_picture(path).numbers
    retag_source(path, OPRGB)
    assert inspect(path).tag.space == "oprgb" and np.array_equal(decode_picture(path).numbers, numbers)
    assert [p.name for p in tmp_path.iterdir()] == ["a.jpg"]
    link = tmp_path / "link.jpg"
    link.symlink_to(path)
    retag_source(link, P3)
    assert link.is_symlink() and inspect(path).tag.space == "p3"
    link.unlink()
    before = path.read_bytes()
    monkeypatch.setattr("os.replace", lambda *_: (_ for _ in ()).throw(OSError(28, "No space left on device")))
    with pytest.raises(VelkinError):
        retag_source(path, SRGB)
    assert path.read_bytes() == before and [p.name for p in tmp_path.iterdir()] == ["a.jpg"]


# ---- converting ---------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("name", ["o.tif", "o.png", "o.jpg", "o.webp", "o.avif"])
def test_converting_keeps_the_look_and_carries_what_was_written_with_it(tmp_path, name):
    soft = np.repeat(np.repeat((60 + RNG.random((5, 7, 3)) * 120).astype(np.uint8), 8, axis=0), 8, axis=1)
    path = write(tmp_path / "a.tif", matrix_profile(SRGB), soft)
    with_exif(path, 1, "R98")
    done = write_copy(path, SRGB, (Convert(P3),), CopyWish(tmp_path / name))
    found = inspect(tmp_path / name)
    assert done.share_outside == 0.0 and found.tag.space == "p3"
    numbers = decode_picture(tmp_path / name).numbers.astype(np.float32) / 255
    error = ciede2000(lab_of(numbers, P3), lab_of(soft.astype(np.float32) / 255, SRGB))
    assert error.mean() < (0.5 if name in ("o.tif", "o.png") else 3.0)
    if name != "o.avif":
        assert (exif_facts(tmp_path / name).colour_space, exif_facts(tmp_path / name).make) == (65535, "Velkin")
    if name in ("o.tif", "o.png", "o.jpg"):
        image = exiv2.ImageFactory.open(str(tmp_path / name))
        image.readMetadata()
        assert image.iptcData()["Iptc.Application2.Headline"].toString() == "skeins"
        assert image.xmpData()["Xmp.dc.source"].toString() == "the mill"


def test_alpha_is_carried_not_converted(tmp_path):
    alpha = np.linspace(0, 65535, 40 * 56).reshape(40, 56).astype(np.uint16)
    deep = np.dstack([RGB.astype(np.uint16) * 257, alpha])
    tifffile.imwrite(tmp_path / "a.tif", deep, photometric="rgb", extrasamples=["unassalpha"], iccprofile=matrix_profile(ROMM))
    for name in ("b.tif", "b.png"):
        write_copy(tmp_path / "a.tif", ROMM, (Convert(SRGB),), CopyWish(tmp_path / name))
        assert np.array_equal(decode_picture(tmp_path / name).alpha, alpha)
    write_copy(tmp_path / "a.tif", ROMM, (Convert(SRGB),), CopyWish(tmp_path / "c.png", bits=8))
    eight = decode_picture(tmp_path / "c.png")
    assert eight.alpha is not None and np.abs(eight.alpha.astype(int) - np.round(alpha / 257)).max() <= 1


def test_ink_and_gray_are_written_in_what_can_hold_them(tmp_path, press):
    path = write(tmp_path / "a.png", matrix_profile(SRGB))
    done = write_copy(path, SRGB, (Convert(press),), CopyWish(tmp_path / "ink.tif", bits=16))
    assert inspect(tmp_path / "ink.tif").model == "cmyk" and 0 < done.share_outside < 1
    write_copy(path, SRGB, (Convert(press),), CopyWish(tmp_path / "ink.jpg"))
    assert inspect(tmp_path / "ink.jpg").icc == press.icc
    write_copy(path, SRGB, (Convert(grays()["gray-22"]),), CopyWish(tmp_path / "g.png"))
    assert inspect(tmp_path / "g.png").model == "gray"
    with pytest.raises(NotSupported, match="TIFF"):
        write_copy(path, SRGB, (Convert(press),), CopyWish(tmp_path / "ink.png"))
    back = write_copy(tmp_path / "ink.tif", press, (Convert(SRGB),), CopyWish(tmp_path / "back.png"))
    assert back.outside is not None


def test_several_steps_are_one_chain_without_rounding_between(tmp_path):
    path = write(tmp_path / "a.png")
    steps = (Assign(OPRGB), Convert(ROMM), Convert(OPRGB))
    write_copy(path, None, steps, CopyWish(tmp_path / "b.png", dither=False))
    assert np.array_equal(decode_picture(tmp_path / "b.png").numbers, RGB)
    with pytest.raises(NotSupported, match="assign a space"):
        write_copy(path, None, (Convert(ROMM),), CopyWish(tmp_path / "c.png"))


def test_every_written_format_loads_elsewhere_with_its_profile(tmp_path):
    for kind in ("tiff", "png", "jpeg", "webp", "avif"):
        data = encode_numbers(
            Picture(RGB, None, "rgb"), kind, matrix_profile(BUILT_IN["oprgb"]), family="oprgb", source=None
        ).data
        with Image.open(io.BytesIO(data)) as image:
            assert image.size == (56, 40) and image.info.get("icc_profile")


def test_converting_to_the_space_it_is_in_changes_no_number(tmp_path):
    for name in ("a.jpg", "a.png", "a.tif", "a.webp"):
        path = write(tmp_path / name, matrix_profile(SRGB, 2))
        found = inspect(path).said
        out = tmp_path / f"o-{name}"
        done = write_copy(path, found, (Convert(SRGB),), CopyWish(out))
        assert done.in_place and np.array_equal(decode_picture(out).numbers, decode_picture(path).numbers)
    deep = RGB.astype(np.uint16) * 257
    tifffile.imwrite(tmp_path / "deep.tif", deep, photometric="rgb", iccprofile=matrix_profile(SRGB))
    said = inspect(tmp_path / "deep.tif").said
    for name, wish in (("x.png", {"bits": 8}), ("y.jpg", {}), ("z.tif", {"bits": 16})):
        write_copy(tmp_path / "deep.tif", said, (Convert(SRGB),), CopyWish(tmp_path / name, **wish))
        numbers = decode_picture(tmp_path / name).numbers
        if name != "y.jpg":
            assert np.array_equal(numbers, RGB if name == "x.png" else deep)
        assert inspect(tmp_path / name).tag.space == "srgb"
