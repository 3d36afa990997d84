"""What is fuzzed: every parser of foreign bytes, each with sound files that the simulator and the writers make, to be spoilt."""

from __future__ import annotations

import contextlib
import io
import json
import logging
import signal
import struct
import zipfile
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import imagecodecs
import numpy as np
import tifffile
from hypothesis import strategies as st
from PIL import Image

from velkin.core.cameraprofiles.anyprofile import load_any
from velkin.core.cameraprofiles.cube import CAMERA_INPUT
from velkin.core.cameraprofiles.dng import DNGProfile
from velkin.core.cameraprofiles.dng_file import dng_from_bytes, dng_to_bytes
from velkin.core.cameraprofiles.huesat import HueSatMap
from velkin.core.cameraprofiles.matrices import ColourMatrices, flat
from velkin.core.cameraprofiles.takes import encoding_taken
from velkin.core.cameraprofiles.tone import standard_curve
from velkin.core.charts.built_in import iso24, velkin48
from velkin.core.charts.chart_file import chart_to_cgats, chart_to_csv, chart_to_json, load_chart
from velkin.core.errors import VelkinError
from velkin.core.files.coding import PLAIN
from velkin.core.files.encode import account_of
from velkin.core.files.exif_block import ExifTree, Value
from velkin.core.files.formats import ALL, format_at, format_named
from velkin.core.files.iim import DataSet
from velkin.core.files.image_resources import Resource
from velkin.core.files.metadata import Metadata, Resolution, Text
from velkin.core.files.picture import Picture, decode_picture
from velkin.core.files.source_contents import contents_of
from velkin.core.icc.space import grays, plain_ink, space_of
from velkin.core.icc.write import matrix_profile
from velkin.core.icc.write_input import input_matrix_profile, input_table_profile
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spaces.rgb import P3, ROMM, SRGB
from velkin.core.tags.inspect import inspect

#: What is put in place of numbers: the ends of their ranges, where counts and offsets go wrong.
_ENDS = (b"\0" * 4, b"\xff" * 4, b"\x7f\xff\xff\xff", b"\0\0\0\x01", b"\x80\0\0\0", b"\xff\xff\0\0")


#: Seconds.
_LONGEST = 3.0


class TooLong(BaseException):
    """A parser read on and on; no error that readers would take for damage."""


@dataclass(frozen=True)
class Target:
    """A parser: sound files, the end of their name, and what is done with a spoilt one at a path."""

    name: str
    suffix: str
    corpus: Callable[[], tuple[bytes, ...]]
    reads: Callable[[Path], object]

    def survives(self, data: bytes, folder: Path) -> None:
        """Let the parser read spoilt bytes; whatever is no refusal in Velkin's words is raised."""
        path = folder / f"spoilt{self.suffix}"
        path.write_bytes(data)
        logging.disable(logging.CRITICAL)  # readers complain by the thousand
        with _in_time(), contextlib.suppress(VelkinError):
            self.reads(path)


@contextlib.contextmanager
def _in_time() -> Iterator[None]:
    """What takes longer than a parser ever may is ended, and fails."""

    def ended(*_: object) -> None:
        raise TooLong(f"it read for more than {_LONGEST} s")

    before = signal.signal(signal.SIGALRM, ended)
    signal.setitimer(signal.ITIMER_REAL, _LONGEST)
    try:
        yield
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)
        signal.signal(signal.SIGALRM, before)


@st.composite
def spoilt(draw: st.DrawFn, corpus: tuple[bytes, ...]) -> bytes:
    """A sound file with up to six faults: bytes changed, numbers driven to their ends, parts cut out, doubled or moved, the end missing."""
    data = bytearray(draw(st.sampled_from(corpus)))
    for _ in range(draw(st.integers(1, 6))):
        if not data:
            break
        kind = draw(st.integers(0, 5))
        # faults cluster where headers and directories are
        near = draw(st.booleans())
        at = draw(st.integers(0, min(len(data) - 1, 255) if near else len(data) - 1))
        if kind == 0:
            data[at] = draw(st.integers(0, 255))
        elif kind == 1:
            data[at : at + 4] = draw(st.sampled_from(_ENDS))
        elif kind == 2:
            del data[at : at + draw(st.integers(1, 64))]
        elif kind == 3:
            data[at:at] = data[at : at + draw(st.integers(1, 64))]
        elif kind == 4:
            other = draw(st.integers(0, len(data) - 1))
            data[at : at + 8] = data[other : other + 8]
        else:
            del data[at:]
    return bytes(data)


# ---- sound files --------------------------------------------------------------------------------------------------


def _pixels(kind: type = np.uint8) -> np.ndarray:
    return (np.random.default_rng(3).random((6, 8, 3)) * np.iinfo(kind).max).astype(kind)


def _saved(form: str, **options: object) -> bytes:
    stream = io.BytesIO()
    Image.fromarray(_pixels()).save(stream, form, **options)
    return stream.getvalue()


@lru_cache(maxsize=1)
def _tiffs() -> tuple[bytes, ...]:
    found = []
    for options in (
        {"iccprofile": matrix_profile(P3)},
        {"compression": "zlib"},
        {"bigtiff": True},
        {"byteorder": ">"},
        {"tile": (16, 16)},
    ):
        stream = io.BytesIO()
        tifffile.imwrite(stream, _pixels(np.uint16), photometric="rgb", **options)
        found.append(stream.getvalue())
    return tuple(found)


@lru_cache(maxsize=1)
def _jpegs() -> tuple[bytes, ...]:
    exif = Image.Exif()
    exif[0x0112] = 6
    return _saved("JPEG", icc_profile=matrix_profile(P3)), _saved("JPEG", exif=exif), _saved("JPEG", icc_profile=b"x" * 70000)


@lru_cache(maxsize=1)
def _pngs() -> tuple[bytes, ...]:
    plain = bytes(imagecodecs.png_encode(_pixels(np.uint16)))
    png = format_named("png")
    return plain, png.retagged(plain, matrix_profile(ROMM), "romm"), png.retagged(plain, matrix_profile(SRGB), "srgb")


@lru_cache(maxsize=1)
def _others() -> tuple[bytes, ...]:
    return _saved("WEBP", icc_profile=matrix_profile(P3)), _saved("AVIF", icc_profile=matrix_profile(P3))


@lru_cache(maxsize=1)
def _profiles() -> tuple[bytes, ...]:
    small = (matrix_profile(SRGB), matrix_profile(P3, 2), *(g.icc for g in grays().values()))
    return (*small, plain_ink().icc)


@lru_cache(maxsize=1)
def _input_profiles() -> tuple[bytes, ...]:
    found = [input_matrix_profile("Fuzzed", ROMM.to_xyz, version=v) for v in (2, 4)]
    table = input_table_profile("Fuzzed", lambda rgb: xyz_to_lab(rgb @ ROMM.to_xyz.T))
    return (*found, table)


@lru_cache(maxsize=1)
def _camera_profiles() -> tuple[bytes, ...]:
    table = HueSatMap(np.zeros((2, 6, 4, 3), np.float32) + np.array([0, 1, 1], np.float32))
    two = flat((np.eye(3), 1.1 * np.eye(3)))
    matrices = ColourMatrices(two, (2856.0, 6504.0), flat((0.3 * np.eye(3), 0.3 * np.eye(3))))
    plain = DNGProfile("Fuzzed", "Velkin Studio One", (17, 21), matrices)
    rich = DNGProfile("Fuzzed", "Velkin Studio One", (17, 21), matrices, (table, table), table, standard_curve())
    return dng_to_bytes(plain), dng_to_bytes(rich)


@lru_cache(maxsize=1)
def _charts() -> tuple[bytes, ...]:
    return tuple(chart_to_cgats(c).encode() for c in (iso24(), velkin48()))


@lru_cache(maxsize=1)
def _csvs() -> tuple[bytes, ...]:
    return tuple(chart_to_csv(c).encode() for c in (iso24(), velkin48()))


@lru_cache(maxsize=1)
def _jsons() -> tuple[bytes, ...]:
    return tuple(chart_to_json(c).encode() for c in (iso24(),)) + (json.dumps({"format": "Velkin camera profile"}).encode(),)


@lru_cache(maxsize=1)
def _cubes() -> tuple[bytes, ...]:
    rows = "\n".join("0.1 0.2 0.3" for _ in range(8))
    return (f'# input: {CAMERA_INPUT}\nTITLE "x"\nLUT_3D_SIZE 2\n{rows}\n'.encode(), b"LUT_1D_SIZE 2\n0 0 0\n1 1 1\n")


def _read_icc(path: Path) -> object:
    return space_of(path.read_bytes())


def _read_picture(path: Path) -> object:
    found = inspect(path)
    return decode_picture(path) if found.width * found.height < 1_000_000 else found


def _read_png(path: Path) -> object:
    return contents_of(path), inspect(path)


@lru_cache(maxsize=1)
def _told() -> tuple[bytes, ...]:
    """A picture with all that its format holds, in each format."""
    text = Value(2, 7, b"madder\0")
    tree = ExifTree(
        ">", {271: text, 270: text}, {37500: Value(7, 40, b"MADDER\0\0".ljust(40, b".")), 42036: text}, {1: text}, maker_at=300
    )
    resources = (Resource(2000, b"skein", bytes(52)), Resource(1062, b"", bytes(14)))
    packet = b'<x:xmpmeta xmlns:x="adobe:ns:meta/"/>'
    told = Metadata(
        tree, packet, (DataSet(2, 120, b"Krapp"),), resources, (Text("Comment", b"third dip"),), Resolution(300.0, 300.0)
    )
    picture = Picture(_pixels(), None, "rgb")
    return tuple(f.encode(picture, matrix_profile(P3), told, PLAIN) for f in ALL if f.kind.bits)


def _read_all(path: Path) -> object:
    contents = contents_of(path)
    known = format_at(path)
    if known.retags:
        with contextlib.suppress(ValueError, IndexError, KeyError, struct.error):
            known.retagged(path.read_bytes(), matrix_profile(SRGB), "srgb")
    return [account_of(contents, kind, family="", size=(1, 1)) for kind in ("jpeg", "tiff")]


_STACK = (
    '<image version="0.0.5" w="30" h="20"><stack><stack name="g" opacity="0.5" isolation="isolate"><layer src="data/a.png" x="-3" y="4" '
    'composite-op="svg:hue"/></stack><layer src="data/a.png" visibility="hidden"/><layer src="data/a.png"/></stack></image>'
)


@lru_cache(maxsize=1)
def _layered() -> tuple[bytes, ...]:
    """Stacks with groups, operators and offsets, packed and not."""
    pixels = np.random.default_rng(4).integers(0, 256, (20, 30, 4), dtype=np.uint8)
    part = bytes(imagecodecs.png_encode(pixels))
    found = []
    for packing in (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED):
        stream = io.BytesIO()
        with zipfile.ZipFile(stream, "w") as archive:
            archive.writestr(zipfile.ZipInfo("mimetype"), "image/openraster")
            archive.writestr("stack.xml", _STACK, packing)
            archive.writestr("data/a.png", part, packing)
            archive.writestr("mergedimage.png", part, packing)
        found.append(stream.getvalue())
    return tuple(found)


TARGETS = (
    Target("layers", ".ora", _layered, _read_picture),
    Target("everything in a picture", ".bin", _told, _read_all),
    Target("TIFF tags", ".tif", _tiffs, _read_picture),
    Target("JPEG segments", ".jpg", _jpegs, _read_picture),
    Target("PNG chunks", ".png", _pngs, _read_png),
    Target("WebP and AVIF", ".webp", _others, _read_picture),
    Target("ICC profiles", ".icc", _profiles, _read_icc),
    Target("ICC camera profiles", ".icc", _input_profiles, load_any),
    Target("DNG camera profiles", ".dcp", _camera_profiles, lambda path: dng_from_bytes(path.read_bytes())),
    Target("CGATS", ".txt", _charts, load_chart),
    Target("CSV charts", ".csv", _csvs, load_chart),
    Target("JSON charts", ".json", _jsons, load_chart),
    Target(".cube tables", ".cube", _cubes, encoding_taken),
)
