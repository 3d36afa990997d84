"""The stand-in print room *Quill Lane*: publishes its profiles, takes files in a folder, refuses wrong ones, and prints the others.

It prints on the simulated press (`press.py`). RGB files with any tag are converted to it, files of four inks must come in the
press's own profile. What comes back is a scan of the print as a perfect scanner sees it, paper included. Simulated.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from velkin.core.conversion.codes import as_float
from velkin.core.conversion.conversion import Conversion
from velkin.core.conversion.light import converted
from velkin.core.errors import VelkinError
from velkin.core.files.encode import encode_numbers
from velkin.core.files.exif import resolution_of
from velkin.core.files.picture import Picture, decode_picture
from velkin.core.files.safely import write_whole
from velkin.core.files.transparency import over_white
from velkin.core.icc.space import ICCSpace, profile_of, space_of
from velkin.core.icc.write_output import OutputTables, lab_grid, output_profile
from velkin.core.spaces.rgb import ROMM
from velkin.core.tags.inspect import inspect
from velkin.sim.press import NAME, paper_white, press_profile, printed_lab, printed_xyz

Floats = NDArray[np.float64]
Pixels = NDArray[np.float32]

#: Fewer pixels per inch than this are refused.
LEAST_PPI = 150
#: Longest side of a scan in pixels.
SCAN = 900
RGB_NAME = "Quill Lane proof printer, RGB (simulated)"
_SIDE, _LAB_SIDE = 17, 25


@dataclass(frozen=True)
class Ticket:
    """What became of a file: the scan of its print, or why it was refused."""

    file: Path
    refused: str
    scan: Path | None


def press_space() -> ICCSpace:
    """The press's CMYK space by the profile that the print room publishes."""
    found = space_of(press_profile(4))
    assert isinstance(found, ICCSpace)
    return found


def publish(folder: Path) -> list[Path]:
    """The profiles that the print room gives to its customers, as files; those that are there stay."""
    folder.mkdir(parents=True, exist_ok=True)
    profiles: dict[str, Callable[[], bytes]] = {
        NAME: lambda: press_profile(4),
        f"{NAME}, version 2": lambda: press_profile(2),
        RGB_NAME: rgb_printer_profile,
    }
    paths = [folder / f"{name}.icc" for name in profiles]
    for path, make in zip(paths, profiles.values(), strict=True):
        if not path.exists():
            write_whole(path, make(), False)
    return paths


def refusal(path: Path) -> str:
    """Why the print room does not take a file; empty when it does."""
    try:
        found = inspect(path)
    except VelkinError as error:
        return f"it cannot be read ({error.message})"
    if found.format not in ("tiff", "jpeg"):
        return f"it is a {found.format.upper()} file; TIFF or JPEG is wanted"
    if found.alpha:
        return "it has a transparent channel"
    if found.bits not in (8, 16):
        return f"it has {found.bits} bits a channel; 8 or 16 are wanted"
    if found.icc is None:
        return "it has no embedded profile, so that nobody knows what its numbers mean"
    if found.model not in ("rgb", "cmyk"):
        return f"it is a {found.model} file; RGB or CMYK is wanted"
    if found.model == "cmyk" and found.icc not in (press_profile(4), press_profile(2)):
        return "its inks are separated for another press than ours"
    ppi = resolution_of(path)
    if ppi is not None and ppi < LEAST_PPI - 0.5:
        return f"it has {ppi:.0f} pixels per inch at its print size; at least {LEAST_PPI} are wanted"
    return ""


def inks_of(path: Path, longest: int = SCAN) -> Pixels:
    """Ink amounts (H, W, 4) that the press is given for a file, at scan size. Raises VelkinError."""
    found = inspect(path)
    space = space_of(found.icc) if found.icc else None
    numbers = as_float(over_white(decode_picture(path)))
    scale = min(1.0, longest / max(numbers.shape[:2]))
    size = (max(round(numbers.shape[1] * scale), 1), max(round(numbers.shape[0] * scale), 1))
    small = np.asarray(cv2.resize(numbers, size, interpolation=cv2.INTER_AREA), dtype=np.float32).reshape(*size[::-1], -1)
    if space is None or space.model == "cmyk":
        return small
    return converted(small, Conversion(space, press_space()))


def printed(inks: Pixels) -> Floats:
    """XYZ D50 (H, W, 3) of a print, paper included, from the press's spectra."""
    flat = inks.reshape(-1, 4).astype(np.float64)
    parts = [printed_xyz(flat[i : i + 100_000]) for i in range(0, len(flat), 100_000)]
    return np.concatenate(parts).reshape(*inks.shape[:2], 3)


def take(inbox: Path, prints: Path) -> list[Ticket]:
    """Print every file of a folder that is in order, with a note beside each that is not; in the order of their names."""
    prints.mkdir(parents=True, exist_ok=True)
    tickets = []
    for path in sorted(
        p for p in inbox.iterdir() if p.is_file() and not p.name.startswith(".") and not p.name.endswith(".txt")
    ):
        why = refusal(path)
        if why:
            note = f"Quill Lane (simulated) did not print {path.name}: {why}.\n"
            write_whole(path.with_name(f"{path.name} refused.txt"), note.encode(), True)
            tickets.append(Ticket(path, why, None))
            continue
        linear = printed(inks_of(path)) @ ROMM.from_xyz.T
        codes = np.round(np.clip(ROMM.encode(np.clip(linear, 0.0, 1.0)), 0.0, 1.0) * 65535.0).astype(np.uint16)
        out = prints / f"{path.stem} print.tif"
        data = encode_numbers(Picture(codes, None, "rgb"), "tiff", profile_of(ROMM), family=ROMM.id, source=None).data
        write_whole(out, data, True)
        tickets.append(Ticket(path, "", out))
    return tickets


# ---- an RGB printer on the same paper -----------------------------------------------------------------------------


def driver(rgb: Floats) -> Floats:
    """The inks (N, 4) that the proof printer's own driver lays down for RGB (N, 3) 0..1: complements, grey partly as black."""
    ink = 1.0 - rgb
    black = np.clip((ink.min(axis=1) - 0.4) / 0.6, 0.0, 1.0) ** 1.5
    return np.column_stack([np.clip(ink - 0.35 * black[:, None], 0.0, 1.0), 0.9 * black])


@lru_cache(maxsize=1)
def rgb_printer_profile() -> bytes:
    """The proof printer's RGB output profile, made with Velkin's own writer of tables, version 2 for older programs."""
    steps = np.linspace(0.0, 1.0, _SIDE)
    device = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1).reshape(-1, 3)
    to_lab = printed_lab(driver(device)).reshape(_SIDE, _SIDE, _SIDE, 3)
    wanted = lab_grid(_LAB_SIDE)
    tables = OutputTables(to_lab, _nearest(wanted).reshape(_LAB_SIDE, _LAB_SIDE, _LAB_SIDE, 3))
    return output_profile(RGB_NAME, tables, tables, white=paper_white(), version=2)


def _nearest(lab: Floats) -> Floats:
    """RGB (N, 3) that prints Lab (N, 3) as nearly as the printer can: damped Gauss-Newton steps from grey."""
    rgb = np.repeat(np.clip(lab[:, :1] / 100.0, 0.02, 0.98), 3, axis=1)
    for _ in range(14):
        now = printed_lab(driver(rgb))
        columns = []
        for c in range(3):
            step = np.where(rgb[:, c] < 0.5, 0.004, -0.004)
            moved = rgb.copy()
            moved[:, c] += step
            columns.append((printed_lab(driver(moved)) - now) / step[:, None])
        slope = np.stack(columns, axis=-1)
        normal = np.einsum("nij,nik->njk", slope, slope) + 40.0 * np.eye(3)
        move = np.linalg.solve(normal, np.einsum("nij,ni->nj", slope, lab - now)[..., None])[..., 0]
        rgb = np.clip(rgb + np.clip(move, -0.2, 0.2), 0.0, 1.0)
    return rgb
