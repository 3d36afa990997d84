"""Checking a written file by reading it back from the disk: nothing that was in memory while writing is believed."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image, UnidentifiedImageError

from velkin.core.errors import BadProfile, VelkinError
from velkin.core.files.metadata import exif_facts
from velkin.core.icc.recognise import recognise
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spaces.rgb import RGBSpace

#: Mean and 99th percentile of ΔE00 between what was meant and what the file says; JPEG's loss lies within.
MEAN_LIMIT, P99_LIMIT = 1.0, 4.0
_BLOCK = 8


@dataclass(frozen=True)
class CheckItem:
    """One thing looked at."""

    about: str
    ok: bool
    finding: str


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

    def summary(self) -> str:
        """One line for a list."""
        if not self.ok:
            return self.reason()
        return ", ".join(item.finding for item in self.items)


def _lab(codes: NDArray[np.floating], space: RGBSpace) -> NDArray[np.float64]:
    return xyz_to_lab(space.decode(codes.astype(np.float64) / 255.0) @ space.to_xyz.T)


def check_jpeg(path: Path, meant: NDArray[np.uint8], space: RGBSpace, profile: bytes) -> Check:
    """Read a written JPEG back and compare it with what was meant.

    Parameters
    ----------
    path : Path
    meant : ndarray (H, W, 3), uint8
        Encoded numbers in `space` before compression.
    space : RGBSpace
    profile : bytes
        The profile that must be inside, byte for byte.
    """
    items: list[CheckItem] = []
    try:
        with Image.open(path) as picture:
            embedded = picture.info.get("icc_profile") or b""
            mode, size = picture.mode, picture.size
            found = np.asarray(picture.convert("RGB"))
    except (OSError, UnidentifiedImageError, ValueError) as error:
        return Check((CheckItem("File", False, f"cannot be read back ({error})"),))
    items.append(_check_tag(embedded, profile, space))
    bits_ok = mode == "RGB"
    items.append(CheckItem("Pixels", bits_ok, "8-bit RGB" if bits_ok else f"mode {mode} instead of 8-bit RGB"))
    wanted = (meant.shape[1], meant.shape[0])
    size_text = f"{size[0]} × {size[1]}" if size == wanted else f"{size[0]} × {size[1]} instead of {wanted[0]} × {wanted[1]}"
    items.append(CheckItem("Size", size == wanted, size_text))
    try:
        claim = exif_facts(path).colour_space
        right = claim == (1 if space.id == "srgb" else 65535)
        items.append(CheckItem("Exif", right, "Exif agrees" if right else f"Exif colour space says {claim}"))
    except VelkinError as error:
        items.append(CheckItem("Exif", False, error.message))
    if size == wanted:
        items.append(_check_colours(found, meant, space))
    return Check(tuple(items))


def _check_tag(embedded: bytes, profile: bytes, space: RGBSpace) -> CheckItem:
    if not embedded:
        return CheckItem("Tag", False, "no profile embedded")
    try:
        recognised = recognise(embedded)
    except BadProfile as error:
        return CheckItem("Tag", False, error.message)
    if recognised != space:
        return CheckItem(
            "Tag", False, f"the embedded profile is {recognised.name if recognised else 'unknown'}, not {space.name}"
        )
    if embedded != profile:
        return CheckItem("Tag", False, f"the embedded {space.name} profile is not the one that was written")
    return CheckItem("Tag", True, f"{space.name} embedded")


def _check_colours(found: NDArray[np.uint8], meant: NDArray[np.uint8], space: RGBSpace) -> CheckItem:
    """Compare means over 8 × 8 blocks: what the eye sees, without JPEG's grain."""

    def blocks(pixels: NDArray[np.uint8]) -> NDArray[np.float64]:
        height, width = (max(n // _BLOCK, 1) for n in pixels.shape[:2])
        cut = pixels[: max(height * _BLOCK, 1), : max(width * _BLOCK, 1)].astype(np.float32)
        return np.asarray(cv2.resize(cut, (width, height), interpolation=cv2.INTER_AREA), dtype=np.float64).reshape(-1, 3)

    difference = ciede2000(_lab(blocks(found), space), _lab(blocks(meant), space))
    mean, p99 = float(difference.mean()), float(np.percentile(difference, 99))
    ok = mean <= MEAN_LIMIT and p99 <= P99_LIMIT
    return CheckItem(
        "Colours",
        ok,
        f"colours within ΔE {p99:.1f}" if ok else f"colours differ by ΔE {mean:.1f} mean, {p99:.1f} at the 99th percentile",
    )
