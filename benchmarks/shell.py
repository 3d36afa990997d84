"""The figures of the command line as a shell meets it, for `make bench`: each a whole process, the fastest of four."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from pathlib import Path

import cv2
import numpy as np
import tifffile
from figures import Report, at_least, at_most
from PIL import Image

from velkin.core.icc.space import profile_of
from velkin.core.icc.write import matrix_profile
from velkin.core.spaces.rgb import OPRGB
from velkin.sim.print_room import press_space

VELKIN = "from velkin.cli import main; raise SystemExit(main())"
# What a script of a few lines does with Pillow and LittleCMS, optimised: not exact.
LIBRARY = """
import sys
from PIL import Image, ImageCms
picture = Image.open(sys.argv[1])
to = ImageCms.getOpenProfile(sys.argv[3])
flags = ImageCms.Flags.BLACKPOINTCOMPENSATION
done = ImageCms.profileToProfile(picture, ImageCms.createProfile("sRGB"), to, renderingIntent=1, flags=flags)
done.save(sys.argv[2], icc_profile=open(sys.argv[3], "rb").read())
"""
FILES = 2000


#: As on anybody's machine, where modules are compiled to bytecode once.
SHELL = {k: v for k, v in os.environ.items() if k != "PYTHONDONTWRITEBYTECODE"}


def _once(*words: str | Path) -> float:
    begun = time.perf_counter()
    subprocess.run([sys.executable, "-c", *map(str, words)], check=True, capture_output=True, env=SHELL)
    return time.perf_counter() - begun


def _seconds(*words: str | Path) -> float:
    return min(_once(*words) for _ in range(4))


def bench_shell(report: Report, folder: Path) -> None:
    """Small things and a large one."""
    rng = np.random.default_rng(1)
    small = folder / "small.png"
    Image.fromarray(rng.integers(0, 256, (64, 64, 3), dtype=np.uint8)).save(small)
    said = ("--from", "srgb", "--replace")
    seconds = _seconds(VELKIN, "convert", small, "--to", "oprgb", *said, "--out", folder / "o.png")
    report.line("convert of 64 × 64 from the shell", f"{seconds:.2f} s", at_most(seconds, 0.6, "s"))
    press = folder / "press.icc"
    press.write_bytes(profile_of(press_space()))
    words = (VELKIN, "proof", small, "--to", press, "--from", "srgb")
    first = _once(*words)
    seconds = _seconds(*words)
    report.line(
        "proof of 64 × 64 to a press, after the first",
        f"{seconds:.2f} s",
        f"the first {first:.1f} s",
        at_most(seconds, 1.0, "s"),
    )

    many = folder / "many"
    many.mkdir()
    tile = Image.fromarray(rng.integers(0, 256, (40, 60, 3), dtype=np.uint8))
    for number in range(FILES):
        tile.save(many / f"{number}{('.jpg', '.png', '.tif')[number % 3]}")
    seconds = _seconds(VELKIN, "inspect", "--json", *sorted(many.iterdir()))
    report.line("inspect, files a second in one process", f"{FILES / seconds:.0f}", at_least(FILES / seconds, 2000))

    large = cv2.resize(rng.integers(0, 256, (200, 300, 3), dtype=np.uint8), (6000, 4000), interpolation=cv2.INTER_CUBIC)
    tifffile.imwrite(folder / "large.tif", large, photometric="rgb")
    profile = folder / "oprgb.icc"
    profile.write_bytes(matrix_profile(OPRGB))
    own = _seconds(VELKIN, "convert", folder / "large.tif", "--to", "oprgb", *said, "--out", folder / "a.tif")
    library = _seconds(LIBRARY, folder / "large.tif", folder / "b.tif", profile)
    report.line(
        "convert of 24 MP in 8 bits against a library's script",
        f"{own:.2f} and {library:.2f} s",
        at_most(own / library, 1.2, "×"),
    )
