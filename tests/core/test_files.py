"""Raw decoding, metadata, safe writing, and what files say of themselves."""

import os
import struct
import zlib
from io import BytesIO

import numpy as np
import pytest
import tifffile
from PIL import Image

from velkin.core.charts.built_in import iso24
from velkin.core.charts.find import find
from velkin.core.errors import OutputFailed, OutputRefused, UnreadableFile
from velkin.core.files.encode import encode_numbers
from velkin.core.files.exif import exif_facts
from velkin.core.files.picture import Picture
from velkin.core.files.raw import decode, read_facts
from velkin.core.files.safely import refuse_output, write_whole
from velkin.core.icc.write import matrix_profile
from velkin.core.spaces.rgb import BUILT_IN, OPRGB, SRGB
from velkin.core.tags.inspect import inspect
from velkin.sim.camera import Camera

from ..studio import shoot_chart


def test_facts_are_those_the_camera_wrote(chart_dng):
    facts = read_facts(chart_dng)
    assert (facts.width, facts.height, facts.bits, facts.is_dng) == (900, 600, 14, True)
    assert facts.unique == facts.model == "Velkin Studio One"
    assert facts.exif.lens == "Stand-in 60 mm macro"
    assert facts.exif.taken.isoformat() == "2026-05-04T10:01:00"
    assert (facts.exif.shutter, facts.exif.aperture, facts.exif.iso) == ("1/60 s", "f/8", "ISO 100")
    assert facts.colour.illuminants == (17, 21)
    assert np.abs(facts.colour.matrices[1] - Camera().built_in_matrices()[1]).max() < 1e-4


def test_levels_are_taken_off(tmp_path):
    from datetime import datetime
    from fractions import Fraction

    from velkin.sim.dng import Shot, write_dng

    camera = Camera()
    mosaic = np.full((64, 96), 512, np.uint16)
    mosaic[:, 48:] = 512 + (16383 - 512) // 4
    write_dng(tmp_path / "flat.dng", mosaic, camera, Shot(datetime(2026, 1, 1), Fraction(1), 8, 100, np.ones(3)))
    for half in (True, False):
        pixels = decode(tmp_path / "flat.dng", half)
        width = pixels.shape[1]
        assert pixels[:, : width // 3].max() < 1e-4
        assert pixels[:, -width // 3 :].mean() == pytest.approx(0.25, abs=2e-4)


def test_orientation_is_applied(tmp_path):
    corners = shoot_chart(tmp_path / "turned.dng", orientation=6)
    facts = read_facts(tmp_path / "turned.dng")
    assert (facts.width, facts.height) == (600, 900)
    pixels = decode(tmp_path / "turned.dng", half=True)
    assert pixels.shape[:2] == (450, 300)
    upright = np.stack([600 - corners[:, 1], corners[:, 0]], axis=1)
    assert np.abs(find(pixels, iso24()).corners * 2 - upright).max() < 3


@pytest.mark.parametrize("kind", ["missing", "empty", "text", "cut short", "half a file"])
def test_bad_raw_files_are_named_and_refused(tmp_path, chart_dng, kind):
    path = tmp_path / "bad.dng"
    data = chart_dng.read_bytes()
    contents = {"empty": b"", "text": b"not a picture" * 50, "cut short": data[:300], "half a file": data[: len(data) // 2]}
    if kind != "missing":
        path.write_bytes(contents[kind])
    with pytest.raises(UnreadableFile) as caught:
        read_facts(path)
        decode(path)
    assert caught.value.file == path
    assert "bad.dng" in str(caught.value)


def test_metadata_is_carried_and_made_true(chart_dng):
    gray = Picture(np.full((60, 80, 3), 128, np.uint8), None, "rgb")
    data = encode_numbers(gray, "jpeg", matrix_profile(SRGB), family="srgb", source=chart_dng).data
    with Image.open(BytesIO(data)) as picture:
        exif = picture.getexif()
        sub = exif.get_ifd(0x8769)
        assert picture.info["icc_profile"] == matrix_profile(SRGB)
    assert exif[272] == "Velkin Studio One"
    assert exif[274] == 1
    assert sub[0xA434] == "Stand-in 60 mm macro"
    assert (sub[0xA001], sub[0xA002], sub[0xA003]) == (1, 80, 60)
    assert 50721 not in exif and 33422 not in exif


def test_files_are_written_whole_or_not_at_all(tmp_path, monkeypatch):
    out = tmp_path / "a.jpg"
    write_whole(out, b"one", replace=False)
    with pytest.raises(OutputRefused):
        write_whole(out, b"two", replace=False)
    assert out.read_bytes() == b"one"
    write_whole(out, b"two", replace=True)
    assert out.read_bytes() == b"two"

    def full(_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(OutputFailed, match="disk is full"):
        write_whole(tmp_path / "b.jpg", b"three", replace=False)
    assert sorted(p.name for p in tmp_path.iterdir()) == ["a.jpg"]


def test_outputs_that_are_inputs_are_refused_also_through_links(tmp_path):
    source = tmp_path / "a.dng"
    source.write_bytes(b"x")
    (tmp_path / "link.dng").symlink_to(source)
    for out in (source, tmp_path / "link.dng", tmp_path / "sub" / ".." / "a.dng"):
        with pytest.raises(OutputRefused):
            refuse_output(out, [source], replace=True)
    with pytest.raises(OutputFailed, match="nothing was left"):
        write_whole(tmp_path / "nowhere" / "a.jpg", b"x", replace=False)


# ---- what files say of their colour -----------------------------------------------------------------------------------


def jpeg(path, **options):
    Image.new("RGB", (20, 10), "red").save(path, "JPEG", **options)
    return path


def png_with(path, *chunks):
    stream = BytesIO()
    Image.new("RGB", (20, 10), "red").save(stream, "PNG")
    data = stream.getvalue()
    extra = b"".join(
        struct.pack(">I", len(body)) + name + body + struct.pack(">I", zlib.crc32(name + body)) for name, body in chunks
    )
    path.write_bytes(data[:33] + extra + data[33:])
    return path


@pytest.mark.parametrize("space", BUILT_IN.values(), ids=lambda s: s.id)
def test_embedded_profiles_are_recognised(tmp_path, space):
    i = inspect(jpeg(tmp_path / "a.jpg", icc_profile=matrix_profile(space, 2)))
    assert (i.tag.state, i.tag.source, i.tag.space) == ("tagged", "icc", space.id)
    assert (i.format, i.width, i.height, i.channels, i.bits, i.model) == ("jpeg", 20, 10, 3, 8, "rgb")


def test_untagged_claimed_and_damaged(tmp_path):
    assert inspect(jpeg(tmp_path / "a.jpg")).tag.state == "untagged"
    exif = Image.Exif()
    exif.get_ifd(0x8769)[0xA001] = 1
    claimed = inspect(jpeg(tmp_path / "b.jpg", exif=exif))
    assert (claimed.tag.state, claimed.tag.source, claimed.tag.space) == ("claimed", "exif", "srgb")
    assert inspect(jpeg(tmp_path / "c.jpg", icc_profile=matrix_profile(SRGB)[:200])).tag.state == "damaged"
    both = inspect(jpeg(tmp_path / "d.jpg", icc_profile=matrix_profile(OPRGB), exif=exif))
    assert both.tag.space == "oprgb"
    assert "the embedded profile wins" in both.notes[0]
    Image.new("CMYK", (9, 9)).save(tmp_path / "e.jpg", icc_profile=matrix_profile(SRGB))
    assert inspect(tmp_path / "e.jpg").tag.state == "damaged"


def test_png_chunks_in_the_order_of_the_third_edition(tmp_path):
    icc = b"x\0\0" + zlib.compress(matrix_profile(OPRGB))
    cicp, srgb = (b"cICP", bytes([12, 13, 0, 1])), (b"sRGB", b"\0")
    points = (31270, 32900, 64000, 33000, 30000, 60000, 15000, 6000)
    gama, chrm = (b"gAMA", struct.pack(">I", 45455)), (b"cHRM", struct.pack(">8I", *points))
    tags = [
        (png_with(tmp_path / "1.png", cicp, (b"iCCP", icc), srgb), ("tagged", "cicp", "p3")),
        (png_with(tmp_path / "2.png", (b"iCCP", icc), srgb), ("tagged", "icc", "oprgb")),
        (png_with(tmp_path / "3.png", srgb, gama, chrm), ("tagged", "png-srgb", "srgb")),
        (png_with(tmp_path / "4.png", gama, chrm), ("claimed", "png-gama", None)),
        (png_with(tmp_path / "5.png", gama), ("untagged", "none", None)),
    ]
    for path, expected in tags:
        tag = inspect(path).tag
        assert (tag.state, tag.source, tag.space) == expected


def test_sixteen_bit_tiff_is_seen_as_such(tmp_path):
    tifffile.imwrite(tmp_path / "a.tif", np.zeros((8, 9, 3), np.uint16), photometric="rgb", iccprofile=matrix_profile(OPRGB))
    i = inspect(tmp_path / "a.tif")
    assert (i.format, i.bits, i.tag.space) == ("tiff", 16, "oprgb")


@pytest.mark.parametrize("name", ["a.jpg", "b.png", "c.tif", "d.dng", "e.txt"])
@pytest.mark.parametrize(
    "data", [b"", b"\x89PNG\r\n\x1a\n", b"\xff\xd8\xff\xe0\x00", b"II*\0\xff\xff\xff\xff", bytes(range(255, 0, -1))]
)
def test_broken_files_are_named(tmp_path, name, data):
    (tmp_path / name).write_bytes(data)
    with pytest.raises(UnreadableFile) as caught:
        inspect(tmp_path / name)
    assert name in str(caught.value)


def test_exif_that_is_silent_gives_empty_facts(tmp_path):
    facts = exif_facts(jpeg(tmp_path / "a.jpg"))
    assert (facts.make, facts.taken, facts.orientation, facts.colour_space) == ("", None, 1, None)
