"""Pictures of 150 MP on the command line and in the window: against the library's own decode, and the most memory that they take."""

from __future__ import annotations

import subprocess
import sys
import time
from datetime import datetime
from fractions import Fraction
from pathlib import Path

import numpy as np
import tifffile
from figures import Report, at_most
from handing_off import most_memory
from under_the_hand import HEAD, last_line

from velkin.core.files import raw
from velkin.core.icc.write import matrix_profile
from velkin.core.shoot.arrivals import look_at
from velkin.core.shoot.shoot import Shoot
from velkin.core.spaces.rgb import ROMM
from velkin.sim.camera import Camera
from velkin.sim.dng import Shot, write_dng

WIDTH, HEIGHT = 14208, 10656
_DECODED = WIDTH * HEIGHT * 6

_LIBRARY = {
    "dng": "import rawpy\nwith rawpy.imread({file!r}) as r: r.postprocess(half_size=True, output_bps=16)",
    "tif": "import imagecodecs\nimagecodecs.imread({file!r})",
}

_WINDOW = (
    HEAD
    + """
look_ahead(window)
until(lambda: window.navigator.all_made)
begun = time.perf_counter()
window.jobs.shoots.open(folder / sys.argv[2])
until(lambda: window.flow.current is not None)
seen = time.perf_counter() - begun
until(lambda: window.flow.measured is not None and window.flow.measured.exact, 300)
exact = time.perf_counter() - begun
most = next(r for r in Path("/proc/self/status").read_text().splitlines() if r.startswith("VmHWM"))
print(seen, exact, 1024 * int(most.split()[1]))
leave(window)
"""
)


def _made(folder: Path, frame: Path) -> dict[str, Path]:
    """A raw frame, and a finished picture in 16 bits, tiled from a demo frame."""
    with tifffile.TiffFile(frame) as tif:
        mosaic = tif.pages[0].asarray()
    tiled = np.tile(mosaic, (HEIGHT // len(mosaic) + 1, WIDTH // mosaic.shape[1] + 1))[:HEIGHT, :WIDTH]
    shot = Shot(datetime(2026, 3, 1, 10), Fraction(1, 60), 8.0, 100, np.array([0.5, 1.0, 0.6]))
    write_dng(folder / "huge.dng", np.ascontiguousarray(tiled), Camera(), shot, preview=True)
    codes = raw.levels(frame)
    picture = np.tile(codes, (HEIGHT // len(codes) + 1, WIDTH // codes.shape[1] + 1, 1))[:HEIGHT, :WIDTH]
    tifffile.imwrite(folder / "huge.tif", picture, photometric="rgb", iccprofile=matrix_profile(ROMM), rowsperstrip=64)
    return {"dng": folder / "huge.dng", "tif": folder / "huge.tif"}


def _watched(code: str) -> tuple[float, int]:
    """Seconds that a script took in a process of its own, and its most memory in bytes."""
    begun = time.perf_counter()
    process = subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True)
    most = most_memory(process)
    told = process.communicate()[1]
    assert process.returncode == 0, told
    return time.perf_counter() - begun, most * 1024


def bench_huge(report: Report, folder: Path, frame: Path) -> None:
    """Opened, proofed, eased, rendered, converted and handed off."""
    files = _made(folder, frame)
    for kind, file in files.items():
        base, _ = _watched(_LIBRARY[kind].format(file=str(file)))
        shoot = Shoot.create(folder / f"{kind}.velkin", kind)
        shoot.frames.add_frames([look_at(file)])
        shoot.close()
        seen, exact, peak = (float(v) for v in last_line(_WINDOW, str(folder), f"{kind}.velkin").split())
        about = f"the library's own decode {base:.1f} s; exact numbers after {exact:.1f} s"
        name = {"dng": "raw frame", "tif": "16-bit TIFF"}[kind]
        report.line(
            f"150 MP {name}, opened to its picture",
            f"{seen:.1f} s = {seen / base:.2f} x",
            about,
            at_most(seen / base, 1.2, "x"),
        )
        report.line(
            "  most memory of the window",
            f"{peak / 1e9:.1f} GB = {peak / _DECODED:.1f} x decoded",
            at_most(peak / _DECODED, 3, "x"),
        )
    out, tif, dng = str(folder / "out.tif"), str(files["tif"]), str(files["dng"])
    verbs = {
        "proof of the TIFF": ["proof", tif, "--to", "srgb"],
        "easing the TIFF": ["ease", tif, "--to", "srgb", "--replace", "--out", out],
        "converting the TIFF": ["convert", tif, "--to", "srgb", "--replace", "--out", out],
        "rendering the raw frame": ["render", dng, "--replace", "--out", out],
        "handing the raw frame off": [
            "handoff",
            str(folder / "dng.velkin"),
            "--to",
            "archive",
            "--out",
            str(folder / "handed"),
        ],
    }
    for what, words in verbs.items():
        seconds, peak = _watched(f"import sys; from velkin.cli import main; sys.exit(main({words!r}))")
        report.line(
            f"  {what}", f"{seconds:.0f} s", f"most memory {peak / 1e9:.1f} GB = {peak / _DECODED:.1f} x decoded",
            at_most(peak / _DECODED, 3, "x decoded"),
        )  # fmt: skip
