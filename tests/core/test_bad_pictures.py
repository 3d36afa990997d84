"""Bad pictures: named, left out or shown as far as they go; never a crash, a hang, or a file lost."""

from __future__ import annotations

import contextlib
import io
import os
import struct
import zlib
from pathlib import Path

import imagecodecs
import numpy as np
import pytest
import tifffile
from PIL import Image

from velkin.app.jobs.importing import files_in
from velkin.core.errors import OutputFailed, UnreadableFile, VelkinError
from velkin.core.files.exif import exif_facts
from velkin.core.files.picture import decode_picture
from velkin.core.handoff.copies import CopyWish, write_copy
from velkin.core.icc.read import LARGEST, parse
from velkin.core.icc.space import load_space, space_of
from velkin.core.icc.write import matrix_profile
from velkin.core.shoot.arrivals import look_at
from velkin.core.spaces.rgb import OPRGB, ROMM, SRGB
from velkin.core.stages.steps import Assign, Convert
from velkin.core.tags.inspect import inspect

RGB = (np.random.default_rng(3).random((40, 50, 3)) * 255).astype(np.uint8)
KINDS = ["jpg", "png", "tif", "webp", "avif", "jxl"]


def good(folder: Path, kind: str) -> Path:
    path = folder / f"a.{kind}"
    if kind == "tif":
        tifffile.imwrite(path, RGB, photometric="rgb", iccprofile=matrix_profile(SRGB))
    elif kind == "jxl":
        path.write_bytes(bytes(imagecodecs.jpegxl_encode(RGB, lossless=True)))
    else:
        Image.fromarray(RGB).save(path, icc_profile=matrix_profile(SRGB))
    return path


@pytest.mark.parametrize("kind", KINDS)
def test_every_cut_of_a_picture_is_an_error_in_words_or_a_picture(tmp_path, kind):
    data = good(tmp_path, kind).read_bytes()
    cut = tmp_path / f"cut.{kind}"
    for share in (0.0, 0.002, 0.02, 0.1, 0.3, 0.6, 0.9):
        cut.write_bytes(data[: int(len(data) * share)])
        for look in (inspect, decode_picture, look_at):
            try:
                look(cut)
            except VelkinError as error:
                assert error.file == cut and str(error).startswith(cut.name)


@pytest.mark.parametrize("kind", KINDS)
def test_random_damage_is_an_error_in_words_or_a_picture(tmp_path, kind):
    data = bytearray(good(tmp_path, kind).read_bytes())
    rng = np.random.default_rng(len(kind))
    spoilt = tmp_path / f"spoilt.{kind}"
    for _ in range(25):
        bad = bytearray(data)
        for at in rng.integers(0, len(data), 6):
            bad[at] = rng.integers(0, 256)
        spoilt.write_bytes(bad)
        for work in (
            lambda: inspect(spoilt),
            lambda: decode_picture(spoilt),
            lambda: write_copy(spoilt, SRGB, (Convert(OPRGB),), CopyWish(tmp_path / "out.tif", replace=True)),
            lambda: write_copy(spoilt, None, (Assign(OPRGB),), CopyWish(tmp_path / f"out.{kind}", replace=True)),
        ):
            with contextlib.suppress(VelkinError):
                work()


def test_random_damage_to_a_profile_is_a_bad_profile_or_a_profile():
    data = matrix_profile(ROMM)
    rng = np.random.default_rng(77)
    for _ in range(300):
        bad = bytearray(data)
        for at in rng.integers(0, len(data), 4):
            bad[at] = rng.integers(0, 256)
        with contextlib.suppress(VelkinError):
            space_of(bytes(bad))


def test_a_huge_profile_costs_neither_time_nor_the_picture(tmp_path):
    path = tmp_path / "huge.tif"
    tifffile.imwrite(path, RGB, photometric="rgb", iccprofile=bytes(LARGEST + 10))
    found = inspect(path)
    assert found.tag.state == "damaged" and np.array_equal(decode_picture(path).numbers, RGB)
    assert exif_facts(path).make == ""
    lying = bytearray(matrix_profile(SRGB))
    struct.pack_into(">I", lying, 0, 0xFFFFFFFF)
    with pytest.raises(VelkinError):
        parse(bytes(lying))
    (tmp_path / "huge.icc").write_bytes(b"")
    os.truncate(tmp_path / "huge.icc", LARGEST + 1)  # a sparse file
    with pytest.raises(VelkinError, match="more than any profile needs"):
        load_space(tmp_path / "huge.icc")


def test_names_and_loops_of_every_kind(tmp_path):
    good(tmp_path, "png").rename(tmp_path / "new\nline.png")
    Image.fromarray(RGB).save(os.fsencode(tmp_path) + b"/bad\xff.png")
    (tmp_path / "self").symlink_to(tmp_path, target_is_directory=True)
    (tmp_path / "round.png").symlink_to("round.png")
    (tmp_path / ".hidden.png").write_bytes(b"x")
    files, reasons = files_in([tmp_path, tmp_path / "note.txt"])
    assert sorted(os.fsencode(f.name) for f in files) == [b"bad\xff.png", b"new\nline.png"] and "note.txt" in reasons[0]
    assert look_at(tmp_path / "new\nline.png").said is not None
    with pytest.raises(UnreadableFile, match="rename it"):
        look_at(next(f for f in files if b"\xff" in os.fsencode(f.name)))
    assert inspect(next(f for f in files if b"\xff" in os.fsencode(f.name))).tag.state == "untagged"
    with pytest.raises(UnreadableFile):
        inspect(tmp_path / "round.png")


def test_a_png_that_contradicts_itself_is_told(tmp_path):
    data = bytes(imagecodecs.png_encode(RGB))

    def chunk(name: bytes, body: bytes) -> bytes:
        return struct.pack(">I", len(body)) + name + body + struct.pack(">I", zlib.crc32(name + body))

    profiles = [chunk(b"iCCP", b"x\0\0" + zlib.compress(matrix_profile(s))) for s in (OPRGB, ROMM)]
    (tmp_path / "a.png").write_bytes(data[:33] + b"".join(profiles) + chunk(b"sRGB", b"\0") + data[33:])
    found = inspect(tmp_path / "a.png")
    assert found.tag.space == "oprgb" and any("twice" in n for n in found.notes) and any("sRGB chunk" in n for n in found.notes)


@pytest.mark.parametrize("size", [(1, 1), (1, 300), (300, 1), (2, 2)])
def test_tiny_pictures_go_all_the_way(tmp_path, size):
    path = tmp_path / "a.png"
    Image.fromarray(np.full((*size, 3), 130, np.uint8)).save(path, icc_profile=matrix_profile(SRGB))
    for name in ("o.tif", "o.jpg", "o.png", "o.webp"):
        write_copy(path, SRGB, (Convert(OPRGB),), CopyWish(tmp_path / name))
        assert decode_picture(tmp_path / name).numbers.shape[:2] == size


def test_nothing_is_left_where_writing_fails(tmp_path):
    path = good(tmp_path, "png")
    with pytest.raises(OutputFailed):
        write_copy(path, SRGB, (Convert(OPRGB),), CopyWish(tmp_path / "absent" / "o.png"))
    folder = tmp_path / "shut"
    folder.mkdir()
    (folder / "o.tif").write_bytes(b"mine")
    with pytest.raises(VelkinError):
        write_copy(path, SRGB, (Convert(OPRGB),), CopyWish(folder / "o.tif"))
    assert [p.name for p in folder.iterdir()] == ["o.tif"] and (folder / "o.tif").read_bytes() == b"mine"


def test_a_chain_of_directories_that_leads_back_ends(tmp_path):
    """The next directory of the first is the first again, in both kinds of TIFF and both orders of bytes."""
    for number, (big, order) in enumerate([(False, "<"), (False, ">"), (True, "<"), (True, ">")]):
        stream = io.BytesIO()
        tifffile.imwrite(stream, np.full((4, 5, 3), 7, np.uint8), photometric="rgb", bigtiff=big, byteorder=order)
        data = bytearray(stream.getvalue())
        pointer, count, entry, head = ("Q", "Q", 20, 8) if big else ("I", "H", 12, 4)
        first = struct.unpack_from(order + pointer, data, head)[0]
        entries = struct.unpack_from(order + count, data, first)[0]
        struct.pack_into(order + pointer, data, first + struct.calcsize(order + count) + entry * entries, first)
        path = tmp_path / f"{number}.tif"
        path.write_bytes(data)
        assert inspect(path).pages == 1
        assert decode_picture(path).numbers.shape == (4, 5, 3)


def test_a_size_that_is_several_numbers_is_damage(tmp_path):
    tifffile.imwrite(tmp_path / "a.tif", np.zeros((4, 5, 3), np.uint8), photometric="rgb")
    data = bytearray((tmp_path / "a.tif").read_bytes())
    first = struct.unpack_from("<I", data, 4)[0]
    for n in range(struct.unpack_from("<H", data, first)[0]):
        at = first + 2 + 12 * n
        if struct.unpack_from("<H", data, at)[0] == 256:
            struct.pack_into("<HIHH", data, at + 2, 3, 2, 5, 5)
    (tmp_path / "a.tif").write_bytes(data)
    with pytest.raises(UnreadableFile, match="damaged"):
        inspect(tmp_path / "a.tif")
    with pytest.raises(UnreadableFile, match="damaged"):
        decode_picture(tmp_path / "a.tif")
