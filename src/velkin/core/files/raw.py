"""Raw files: decoding to linear camera RGB through LibRaw, and the facts a camera writes into them.

Camera RGB here is black- and white-levelled, 0..1 of the white level, without white balance, matrix or highlight work,
the picture upright.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import rawpy
from numpy.typing import NDArray

from velkin.core.errors import UnreadableFile
from velkin.core.files.dng_colour import DNGColour, rational
from velkin.core.files.exif import exif_values, facts_of_values
from velkin.core.files.facts import FileFacts
from velkin.core.files.picture import upright_by
from velkin.core.files.safely import is_text_name

Floats = NDArray[np.float64]
Pixels = NDArray[np.float32]


@dataclass(frozen=True, kw_only=True)
class RawFacts(FileFacts):
    """What a raw file says of itself; `bits` are those needed for the white level.

    Attributes
    ----------
    as_shot : ndarray (3,)
        The camera's white balance as multipliers, green 1.
    colour : DNGColour or None
    is_dng : bool
    """

    as_shot: Floats
    colour: DNGColour | None
    is_dng: bool


@contextmanager
def opened(path: Path) -> Iterator[Any]:
    """A raw file, open for LibRaw. Raises UnreadableFile."""
    try:
        if path.stat().st_size == 0:
            raise UnreadableFile("the file is empty", path)
        if is_text_name(path):
            with rawpy.imread(str(path)) as raw:
                yield raw
        else:  # the library takes names as UTF-8 only
            with path.open("rb") as stream, rawpy.imread(stream) as raw:
                yield raw
    except rawpy.LibRawFileUnsupportedError as error:
        raise UnreadableFile("not a raw file that Velkin can read", path) from error
    except (rawpy.LibRawError, rawpy.NotSupportedError) as error:
        reason = error.args[0] if error.args else error
        text = reason.decode("utf-8", "replace") if isinstance(reason, bytes) else str(reason)
        raise UnreadableFile(f"the raw data are damaged or cut short ({text})", path) from error
    except FileNotFoundError as error:
        raise UnreadableFile("the file is not there any more", path) from error
    except OSError as error:
        raise UnreadableFile(f"the file cannot be read ({error.strerror or error})", path) from error


def read_facts(path: Path) -> RawFacts:
    """The facts of a raw file; no pixel is decoded.

    Raises
    ------
    UnreadableFile
        When it is missing, empty, damaged or no raw file.
    """
    with opened(path) as raw:
        sizes = raw.sizes
        turned = sizes.flip in (5, 6)
        values = exif_values(path)
        exif = facts_of_values(values)
        told = _told_by_tags(values, exif.dng, path)
        white, balance, libraw_matrix = _told_by_libraw(raw) if told is None else (*told, np.zeros((3, 3)))
    if balance.min() > 0 and np.all(np.isfinite(balance)):
        as_shot = balance / balance[1]
    else:
        as_shot = np.ones(3)
    colour = exif.dng
    if colour is None and np.any(libraw_matrix != 0):
        colour = DNGColour((libraw_matrix,), (21,))
    width, height = int(sizes.width), int(sizes.height)
    return RawFacts(
        path=path,
        width=height if turned else width,
        height=width if turned else height,
        orientation=exif.orientation,
        bits=max(white.bit_length(), 8),
        make=exif.make,
        model=exif.model,
        unique=exif.unique_model or f"{exif.make} {exif.model}".strip(),
        as_shot=as_shot,
        colour=colour,
        exif=exif,
        is_dng=bool(exif.unique_model) or path.suffix.lower() == ".dng",
    )


def _told_by_libraw(raw: Any) -> tuple[int, Floats, Floats]:
    """White level, white balance and matrix as the library has them, which it tells once it has read all of the raw data."""
    balance = np.array(raw.camera_whitebalance[:3], dtype=np.float64)
    return int(raw.white_level), balance, np.array(raw.rgb_xyz_matrix[:3], dtype=np.float64)


def _told_by_tags(values: Mapping[str, str], colour: DNGColour | None, path: Path) -> tuple[int, Floats] | None:
    """White level and white balance of a plain DNG by its tags (DNG 1.4: WhiteLevel, AsShotNeutral), so that nothing of the mosaic is read.

    None where they do not settle it: curves and amplified channels are left to the library. Raises UnreadableFile for a file cut short.
    """
    if colour is None or colour.analog != (1.0, 1.0, 1.0):
        return None
    groups = {k.split(".")[1] for k, v in values.items() if k.endswith(".PhotometricInterpretation") and v == "32803"}
    if len(groups) != 1:
        return None
    mosaic = {k.rpartition(".")[2]: v for k, v in values.items() if k.split(".")[1] in groups}
    try:
        whites = {rational(v) for v in mosaic["WhiteLevel"].split()}
        neutral = np.array([rational(v) for v in values["Exif.Image.AsShotNeutral"].split()])
        kind = "Tile" if "TileOffsets" in mosaic else "Strip"
        ends = [
            int(a) + int(n) for a, n in zip(*(mosaic[f"{kind}{w}"].split() for w in ("Offsets", "ByteCounts")), strict=True)
        ]
    except (KeyError, ValueError, ZeroDivisionError):
        return None
    if "LinearizationTable" in mosaic or mosaic.get("SampleFormat", "1") != "1" or len(whites) != 1 or not ends:
        return None
    if neutral.shape != (3,) or not np.all((neutral > 0) & np.isfinite(neutral)):
        return None
    if max(ends) > path.stat().st_size:
        raise UnreadableFile("the raw data are damaged or cut short", path)
    return round(whites.pop()), 1.0 / neutral


def decode(path: Path, half: bool = False) -> Pixels:
    """Linear camera RGB (H, W, 3) float32, 0..1 of the white level.

    Parameters
    ----------
    path : Path
    half : bool
        One pixel for each 2×2 of the sensor: exact colours, half the size, many times faster.

    Raises
    ------
    UnreadableFile
        When the file is missing, empty, damaged, cut short or no raw file.
    """
    pixels = levels(path, half).astype(np.float32)
    pixels *= np.float32(1.0 / 65535.0)
    return pixels


def levels(path: Path, half: bool = False) -> NDArray[np.uint16]:
    """As `decode`, in the 16-bit levels that come from the decoder, 65535 for the white level: half the memory."""
    with opened(path) as raw:
        if raw.raw_type is rawpy.RawType.Stack:
            return _stacked(raw, half, path)
        found = raw.postprocess(
            half_size=half,
            demosaic_algorithm=rawpy.DemosaicAlgorithm.AHD,
            output_color=rawpy.ColorSpace.raw,
            output_bps=16,
            gamma=(1, 1),
            user_wb=[1, 1, 1, 1],
            no_auto_bright=True,
            no_auto_scale=False,
            adjust_maximum_thr=0.0,
            highlight_mode=rawpy.HighlightMode.Clip,
        )
    if found.ndim != 3 or found.shape[2] != 3:
        raise UnreadableFile("the sensor does not see in three colours", path)
    return np.asarray(found, dtype=np.uint16)


#: How LibRaw numbers the turnings of a sensor, as Exif does.
_TURNED = {3: 3, 5: 8, 6: 6}


def _stacked(raw: Any, half: bool, path: Path) -> NDArray[np.uint16]:
    """The levels of a file without a mosaic (linear DNG, and what cameras reduce themselves): every pixel has its colours.

    Levels as DNG 1.6 maps raw values to linear ones: black taken away, divided by white less the largest black. (LibRaw's own scaling takes
    black away and divides by white, so that such a picture came out too dark by as much as black is of white.)
    """
    values: NDArray[Any] = np.asarray(raw.raw_image_visible)
    if values.ndim != 3 or values.shape[2] < 3:
        raise UnreadableFile("the sensor does not see in three colours", path)
    black = np.array(raw.black_level_per_channel[:3], dtype=np.float32)
    white = float(raw.white_level) - float(black.max())
    if white <= 0:
        raise UnreadableFile("its black level is not below its white level", path)
    pixels = upright_by(_TURNED.get(int(raw.sizes.flip), 1), values[..., :3])
    if half:
        height, width = pixels.shape[0] // 2 * 2, pixels.shape[1] // 2 * 2
        cells = pixels[:height, :width].astype(np.float32).reshape(height // 2, 2, width // 2, 2, 3)
        pixels = cells.mean(axis=(1, 3))
    linear = (pixels.astype(np.float32) - black) * np.float32(65535.0 / white)
    return np.clip(np.round(linear), 0, 65535).astype(np.uint16)
