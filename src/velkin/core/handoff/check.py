"""Checking a written file by reading it back from the disk: nothing that was in memory while writing is believed.

Each format is decoded by another library than the one that wrote it, and its numbers are given their meaning by LittleCMS
through the profile that stands in the file.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from io import BytesIO
from pathlib import Path
from typing import Any

import cv2
import imagecodecs
import numpy as np
import tifffile
from numpy.typing import NDArray
from PIL import Image

from velkin.core.destinations.destination import Destination
from velkin.core.errors import BadProfile, VelkinError
from velkin.core.files.exif import resolution_of
from velkin.core.files.formats import format_named
from velkin.core.files.metadata_policy import broken_policy
from velkin.core.files.picture import Picture
from velkin.core.files.transparency import opacity, over_white
from velkin.core.handoff.rendering import AtDestination
from velkin.core.icc.space import Space, profile_of, space_of
from velkin.core.icc.transform import Intent, to_lab
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.rgb import RGBSpace, family_of
from velkin.core.tags.inspect import Inspection, inspect

#: Mean and 99th percentile of ΔE00 of block means: between the proof and the numbers that were given to the encoder, read through
#: the profile in the file; and what compression may cost.
PROOF_LIMITS, LOSSY_LIMITS = (0.3, 1.0), (1.5, 6.0)
#: What strong compression may cost: below this quality, with colour at a smaller size (as WebP always has it), and in JPEG XL,
#: which spends its loss where the eye sees it least.
STRONG_LIMITS, STRONG_BELOW, STRONG_KINDS = (3.0, 12.0), 75, ("webp", "jxl")
#: What compression may do to alpha, on average.
_ALPHA_LIMIT = 0.01
_BLOCK, _ROWS = 8, 64


@dataclass(frozen=True)
class CheckItem:
    """One thing looked at; `value` is what was measured, in ΔE00, where something was."""

    about: str
    ok: bool
    finding: str
    value: float | None = None


@dataclass(frozen=True)
class Check:
    """The result of reading a file back."""

    items: tuple[CheckItem, ...]

    @property
    def ok(self) -> bool:
        """Whether everything was found as meant."""
        return all(item.ok for item in self.items)

    def reason(self) -> str:
        """What failed, in words; empty when nothing did."""
        return "; ".join(f"{item.about.lower()}: {item.finding}" for item in self.items if not item.ok)

    def brief(self) -> str:
        """The least that is worth saying: what failed, or tag, size and colours."""
        return self.reason() or ", ".join(i.finding for i in self.items if i.about in ("Tag", "Size", "Compression", "Colours"))

    def summary(self) -> str:
        """One line for a list."""
        if not self.ok:
            return self.reason()
        return ", ".join(item.finding for item in self.items)


def check_file(path: Path, meant: AtDestination, destination: Destination, space: Space) -> Check:
    """Read a written file back and compare it with what was meant.

    Parameters
    ----------
    path : Path
    meant : AtDestination
        The numbers before encoding, and what the proof shows.
    destination : Destination
    space : Space
        The destination's.
    """
    try:
        found = inspect(path)
        pixels = decoded(path, destination.file.kind, found.model, found.bits)
    except VelkinError as error:
        return Check((CheckItem("File", False, f"cannot be read back ({error.message})"),))
    pixels, clear = _apart(pixels, meant)
    items = [_tag(found, profile_of(space, destination.icc_version), space), *_shape(found, pixels, meant, destination)]
    items.append(_exif(found, space))
    if (left := _policy(path, destination)) is not None:
        items.append(left)
    if meant.ppi is not None:
        items.append(_resolution(path, meant.ppi))
    if pixels.shape == meant.codes.shape and pixels.dtype == meant.codes.dtype and items[0].ok and found.icc is not None:
        items += _numbers(pixels, clear, meant, destination, found.icc, space.model)
    return Check(tuple(items))


def _apart(pixels: NDArray[Any], meant: AtDestination) -> tuple[NDArray[Any], NDArray[Any] | None]:
    """Colours and alpha of a file that is to have transparent parts; else all of its channels."""
    colours = meant.codes.shape[2]
    if meant.alpha is None or pixels.shape[2] == colours:
        return pixels, None
    return pixels[..., :colours], pixels[..., -1]


_DECODERS: dict[str, Callable[[bytes], Any]] = {
    "jpeg": imagecodecs.jpeg8_decode,
    "tiff": imagecodecs.tiff_decode,
    "webp": imagecodecs.webp_decode,
    "avif": imagecodecs.avif_decode,
    "jxl": imagecodecs.jpegxl_decode,
}


def decoded(path: Path, kind: str, model: str = "rgb", bits: int = 8) -> NDArray[Any]:
    """Numbers (H, W, C) of a written file, by a library that did not write it.

    Raises
    ------
    VelkinError
    """
    try:
        data = path.read_bytes()
        if kind == "png":
            pixels = np.asarray(
                cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED | cv2.IMREAD_IGNORE_ORIENTATION)
            )
            pixels = pixels[..., (2, 1, 0, 3)[: pixels.shape[2]]] if pixels.ndim == 3 else pixels
        elif kind == "tiff" and model == "cmyk":
            pixels = _inks(data, bits)
        else:
            pixels = np.asarray(_DECODERS[kind](data))
            if kind == "avif" and bits > 8:  # of 10 or 12 bits, over the whole range of 16
                top = (1 << bits) - 1
                pixels = ((pixels.astype(np.uint32) * 65535 + top // 2) // top).astype(np.uint16)
    except Exception as error:  # decoders raise what they like on damaged files
        raise VelkinError(str(error) or "no picture in it", path) from error
    if pixels.ndim not in (2, 3):
        raise VelkinError("no picture in it", path)
    if kind == "jpeg" and pixels.ndim == 3 and pixels.shape[2] == 4:
        pixels = ~pixels  # four inks stand inverted in a JPEG with the marker that says so, as every writer makes them
    return pixels[..., None] if pixels.ndim == 2 else pixels


def _inks(data: bytes, bits: int) -> NDArray[Any]:
    """A TIFF of four inks, which libtiff does not give as they are: through Pillow, and with 16 bits through tifffile.

    Nothing else in the registries reads 16-bit inks, so that those alone are read by the library that wrote them.
    """
    if bits == 16:
        return np.asarray(tifffile.imread(BytesIO(data)))
    with Image.open(BytesIO(data)) as picture:
        return np.asarray(picture)


def _tag(found: Inspection, profile: bytes, space: Space) -> CheckItem:
    if not found.icc:
        return CheckItem("Tag", False, "no profile embedded")
    try:
        inside = space_of(found.icc)
    except BadProfile as error:
        return CheckItem("Tag", False, error.message)
    if found.icc != profile:
        if inside.name != space.name:
            return CheckItem("Tag", False, f"the embedded profile is {inside.name}, not {space.name}")
        return CheckItem("Tag", False, f"the embedded {space.name} profile is not the one that was written")
    if found.tag.state != "tagged":
        return CheckItem("Tag", False, f"the file reads as {found.tag.state}, although a profile is inside")
    return CheckItem("Tag", True, f"{space.name} embedded")


def _shape(found: Inspection, pixels: NDArray[Any], meant: AtDestination, destination: Destination) -> list[CheckItem]:
    model = found.model.upper() if found.model != "gray" else "gray"
    stored = format_named(destination.file.kind).stored_bits(destination.file.bits)
    bits = found.bits == stored and pixels.dtype == meant.codes.dtype
    model_right = pixels.shape[2] == meant.codes.shape[2]
    wanted = f"{stored}-bit {'CMYK' if meant.codes.shape[2] == 4 else 'gray' if meant.codes.shape[2] == 1 else 'RGB'}"
    more = pixels.shape[2] - meant.codes.shape[2]
    is_so = f"{found.bits}-bit {model}" + (" with alpha" if more > 0 and found.alpha else "")
    height, width = meant.codes.shape[:2]
    right = (found.width, found.height) == (width, height) == (pixels.shape[1], pixels.shape[0])
    size = f"{found.width} × {found.height}"
    return [
        CheckItem("Pixels", bits and model_right, is_so if bits and model_right else f"{is_so} instead of {wanted}"),
        CheckItem("Size", right, size if right else f"{size} instead of {width} × {height}"),
    ]


def _exif(found: Inspection, space: Space) -> CheckItem:
    srgb = isinstance(space, RGBSpace) and family_of(space) == "srgb"
    claim = found.exif.colour_space
    right = claim == (1 if srgb else 65535)
    return CheckItem("Exif", right, "Exif agrees" if right else f"Exif colour space says {claim}")


def _policy(path: Path, destination: Destination) -> CheckItem | None:
    """Whether metadata went in that the policy leaves out; None where all of it may be there."""
    if destination.metadata.keep == "all" and destination.metadata.location:
        return None
    try:
        over = broken_policy(path, destination.metadata)
    except VelkinError as error:
        return CheckItem("Metadata", False, error.message)
    words = f"metadata: {destination.metadata.words()}"
    return CheckItem("Metadata", not over, words if not over else f"{', '.join(over[:3])} should not be there")


def _resolution(path: Path, ppi: float) -> CheckItem:
    found = resolution_of(path)
    right = found is not None and abs(found - ppi) <= 0.5
    return CheckItem("Resolution", right, f"{found:.0f} ppi" if right and found else f"{found} ppi instead of {ppi:.0f}")


def _numbers(
    pixels: NDArray[Any], clear: NDArray[Any] | None, meant: AtDestination, destination: Destination, icc: bytes, model: str
) -> list[CheckItem]:
    """What compression did, whole picture against what was given to the encoder; and what was given to it against the proof."""
    top = float(np.iinfo(pixels.dtype).max)

    def seen(values: NDArray[Any], intent: Intent = Intent.RELATIVE) -> NDArray[np.float64]:
        return to_lab(values.reshape(-1, values.shape[-1]).astype(np.float64) / top, icc, model, intent)

    file = destination.file
    items = []
    if meant.alpha is not None:
        items.append(_transparency(clear, meant.alpha, file.lossless))
    if file.lossless:
        parts = (slice(first, first + _ROWS) for first in range(0, len(pixels), _ROWS))
        same = all(np.array_equal(pixels[p], meant.codes[p]) for p in parts)
        items.append(CheckItem("Samples", same, "every sample as meant" if same else "samples differ from those meant"))
    else:
        strong = file.quality < STRONG_BELOW or file.subsampling != "4:4:4" or file.kind in STRONG_KINDS
        was, now = (over_white(Picture(p, meant.alpha, model)) for p in (meant.codes, pixels))  # what is not seen may change
        lost = ciede2000(seen(_block_means(now)), seen(_block_means(was)))
        mean, p99 = float(lost.mean()), float(np.percentile(lost, 99))
        ok = _within(mean, p99, STRONG_LIMITS if strong else LOSSY_LIMITS)
        words = f"compression ΔE {mean:.2f}" + ("" if ok else f" mean, {p99:.1f} at the 99th percentile")
        items.append(CheckItem("Compression", ok, words, mean))
    side, places = meant.proof.side, meant.proof.places
    blocks = np.stack([meant.codes[y : y + side, x : x + side] for x, y in places])
    colours = seen(blocks, meant.proof.intent).reshape(len(places), -1, 3).mean(axis=1)
    off = ciede2000(colours, meant.proof.lab.astype(np.float64))
    mean, p99 = float(off.mean()), float(np.percentile(off, 99))
    ok = _within(mean, p99, PROOF_LIMITS)
    right = f"within ΔE {p99:.1f} of the proof"
    wrong = f"colours differ from the proof by ΔE {mean:.1f} mean, {p99:.1f} at the 99th percentile"
    items.append(CheckItem("Colours", ok, right if ok else wrong, p99))
    return items


def _transparency(found: NDArray[Any] | None, meant: NDArray[Any], lossless: bool) -> CheckItem:
    """Whether a file is transparent where it should be."""
    if found is None or found.shape != meant.shape or found.dtype != meant.dtype:
        return CheckItem("Transparency", False, "the transparent parts are not")
    off = float(np.abs(opacity(found) - opacity(meant)).mean())
    right = np.array_equal(found, meant) if lossless else off <= _ALPHA_LIMIT
    return CheckItem(
        "Transparency", bool(right), "transparent parts kept" if right else f"alpha is off by {100 * off:.1f} % on average"
    )


def _within(mean: float, p99: float, limits: tuple[float, float]) -> bool:
    return mean <= limits[0] and p99 <= limits[1]


def _block_means(pixels: NDArray[Any]) -> NDArray[np.float32]:
    """Means (N, C) over 8 × 8 blocks: what the eye sees, without the grain of compression."""
    height, width = (max(n // _BLOCK, 1) for n in pixels.shape[:2])
    if min(pixels.shape[:2]) < _BLOCK:
        return np.asarray(cv2.resize(pixels.astype(np.float32), (width, height), interpolation=cv2.INTER_AREA)).reshape(
            -1, pixels.shape[2]
        )
    out = np.empty((height, width, pixels.shape[2]), dtype=np.float32)
    for first in range(0, height, _ROWS):  # in parts: a large picture as floating-point numbers fills the memory
        last = min(first + _ROWS, height)
        part = pixels[first * _BLOCK : last * _BLOCK, : width * _BLOCK].astype(np.float32)
        small = cv2.resize(part, (width, last - first), interpolation=cv2.INTER_AREA)
        out[first:last] = np.asarray(small).reshape(last - first, width, -1)
    return out.reshape(-1, pixels.shape[2])
