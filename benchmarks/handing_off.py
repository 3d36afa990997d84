"""The figures of hand-off for `make bench`: forty frames of 24 MP to two destinations against the libraries alone; memory; kills."""

from __future__ import annotations

import json
import random
import shutil
import signal
import subprocess
import sys
import time
from datetime import datetime
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
import tifffile
from figures import Report, at_least, at_most

from velkin.core.destinations.starters import STARTERS
from velkin.core.files.picture import decode_picture
from velkin.core.icc.write import matrix_profile
from velkin.core.shoot.arrivals import look_at
from velkin.core.shoot.shoot import Shoot
from velkin.core.spaces.rgb import ROMM, SRGB
from velkin.sim.camera import Camera
from velkin.sim.dng import Shot, write_dng

FRAMES = 10

# What any program has to do at least that reads back what it wrote: decode and convert, encode, resize and convert, encode,
# decode both; one thread a core. LibRaw's own conversion to ROMM RGB stands for the first conversion: LittleCMS takes ten times as long for 24 MP in 16 bits.
LIBRARY = """
import os, sys, time
from concurrent.futures import ThreadPoolExecutor
import cv2, imagecodecs, numpy as np, rawpy, tifffile
from PIL import Image
out, frames = sys.argv[1], sys.argv[2:]
romm, srgb = (open(f"{out}/{n}.icc", "rb").read() for n in ("romm", "srgb"))
def one(job):
    number, path = job
    with rawpy.imread(path) as raw:
        wide = raw.postprocess(output_color=rawpy.ColorSpace.ProPhoto, output_bps=16, gamma=(1.8, 16), no_auto_bright=True,
                               use_camera_wb=True)
    tifffile.imwrite(f"{out}/{number}.tif", wide, photometric="rgb", iccprofile=romm, compression="adobe_deflate",
                     predictor=True, rowsperstrip=64, maxworkers=2)
    small = cv2.resize(wide, (2048, 1365), interpolation=cv2.INTER_AREA)
    web = imagecodecs.cms_transform(small, romm, srgb, colorspace="rgb", outcolorspace="rgb", outdtype=np.uint8)
    Image.fromarray(web).save(f"{out}/{number}.jpg", quality=92, subsampling=0, icc_profile=srgb)
    assert np.array_equal(imagecodecs.tiff_decode(open(f"{out}/{number}.tif", "rb").read()), wide)
    assert imagecodecs.jpeg8_decode(open(f"{out}/{number}.jpg", "rb").read()).shape == web.shape
begun = time.perf_counter()
with ThreadPoolExecutor(os.cpu_count()) as pool:
    list(pool.map(one, enumerate(frames)))
print(time.perf_counter() - begun)
"""


def large_frames(folder: Path, frame: Path, count: int = FRAMES) -> list[Path]:
    """Some raw frames of 24 MP, tiled from a demo frame's mosaic, each a little further to the side."""
    folder.mkdir()
    with tifffile.TiffFile(frame) as tif:
        mosaic = tif.pages[0].asarray()
    tiled = np.tile(mosaic, (3, 3))[:4000, :6000]
    found = []
    for number in range(count):
        path = folder / f"large-{number:02d}.dng"
        shot = Shot(datetime(2026, 3, 1, 10, number), Fraction(1, 60), 8.0, 100, np.array([0.5, 1.0, 0.6]))
        write_dng(path, np.roll(tiled, 64 * number, axis=1), Camera(), shot, preview=True)
        found.append(path)
    return found


def large_shoot(path: Path, frames: list[Path]) -> None:
    """A shoot of the large frames with the destinations Web sRGB and Archive."""
    shoot = Shoot.create(path, "large")
    try:
        shoot.frames.add_frames([look_at(p) for p in frames], "light")
        shoot.destinations.add_destinations([(STARTERS["archive"], None)])
    finally:
        shoot.close()


def hand_off(shoot: Path, out: Path, *more: str, wait: bool = True) -> tuple[subprocess.Popen[bytes], float]:
    """The command line's hand-off to both destinations in a process of its own; it, and the seconds it took."""
    words = ["handoff", str(shoot), "--to", "web", "--to", "archive", "--out", str(out), "--json", *more]
    code = f"import sys; from velkin.cli import main; sys.exit(main({words!r}))"
    begun = time.perf_counter()
    process = subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)
    if wait:
        process.communicate()
    return process, time.perf_counter() - begun


def bench_large(report: Report, folder: Path, frame: Path) -> None:
    """Throughput and peak memory."""
    frames = large_frames(folder / "large", frame)
    shoot = folder / "large.velkin"
    large_shoot(shoot, frames)
    base = folder / "base"
    base.mkdir()
    for space in (ROMM, SRGB):
        (base / f"{space.id}.icc").write_bytes(matrix_profile(space))
    half = len(frames) // 2

    def libraries(some: list[Path]) -> float:
        command = [sys.executable, "-c", LIBRARY, str(base), *(str(p) for p in some)]
        return float(subprocess.run(command, capture_output=True, text=True, check=True).stdout)

    bound = libraries(frames[:half])  # half before and half after, since a machine gets slower and faster on the way
    _, ours = hand_off(shoot, folder / "handed")
    bound += libraries(frames[half:])
    peak = _peak(shoot, folder / "peak")
    files = len([p for p in (folder / "handed").iterdir() if p.is_file()])
    assert files == 2 * FRAMES, files
    report.line(
        f"{FRAMES} frames of 24 MP to two destinations, checked",
        f"{ours:.0f} s = {bound / ours:.2f} of bound",
        f"libraries alone, reading back too {bound:.0f} s",
        at_least(bound / ours, 0.95, "of bound"),
    )
    report.line("  peak memory", f"{peak / 1024:.0f} MB", at_most(peak / 1024, 1500, "MB"))


def most_memory(process: subprocess.Popen[Any]) -> int:
    """Peak resident memory in kB of a process, watched until it ends."""
    most = 0
    status = Path(f"/proc/{process.pid}/status")
    while process.poll() is None:
        try:
            most = max(most, int(next(r for r in status.read_text().splitlines() if r.startswith("VmHWM")).split()[1]))
        except (OSError, StopIteration):
            break
        time.sleep(0.05)
    return most


def _peak(shoot: Path, out: Path) -> int:
    """Peak resident memory in kB of a hand-off of some of the frames."""
    process, _ = hand_off(shoot, out, "--frames", *(f"large-{n:02d}" for n in range(6)), wait=False)
    most = most_memory(process)
    process.communicate()
    return most


def bench_kills(report: Report, folder: Path, shoot: Path, times: int = 20) -> None:
    """Killed at random moments of a run, gone on with, and looked at: nothing partial, everything there and checked."""
    chance = random.Random(7)
    resumed = again = 0
    whole = folder / "whole.velkin"
    shutil.copy(shoot, whole)
    opened = Shoot.open(whole)
    opened.destinations.add_destinations([(STARTERS["archive"], None)])
    opened.close()
    timed = folder / "timed.velkin"
    shutil.copy(whole, timed)
    _, seconds = hand_off(timed, folder / "timed")
    for number in range(times):
        copy, out = folder / f"kill-{number}.velkin", folder / f"kill-{number}"
        shutil.copy(whole, copy)
        process, _ = hand_off(copy, out, wait=False)
        time.sleep(chance.uniform(0.15, 0.98) * seconds)
        process.send_signal(signal.SIGKILL)
        process.communicate()
        named = [p for p in out.rglob("*") if p.is_file() and not p.name.startswith(".")] if out.exists() else []
        for path in named:
            decode_picture(path)  # raises for what is cut short
        kept = Shoot.open(copy)
        begun = bool(kept.handoffs.runs())
        kept.close()
        if not begun:  # killed before the run was begun
            hand_off(copy, out)
        document = hand_off_again(copy)
        again += len(document["written"])
        resumed += document["finished_before"]
        kept = Shoot.open(copy)
        written = [w for w in kept.handoffs.written() if w.ok]
        planned = {(f.frame, f.destination) for r in kept.handoffs.runs() for f in kept.handoffs.run_with_files(r.id).files}
        assert planned == {(w.frame, w.destination) for w in written} and len(planned) == 2 * len(kept.state.subjects())
        assert sorted(p.name for p in out.iterdir()) == sorted({w.path.name for w in written}), (
            "nothing partial, hidden or twice"
        )
        kept.close()
        shutil.rmtree(out)
    report.line(
        f"killed (-9) at {times} random moments and gone on with", f"{times} of {times} whole",
        f"{resumed} files were there, {again} written after, every one checked",
    )  # fmt: skip


def hand_off_again(shoot: Path) -> dict[str, Any]:
    """Go on with an interrupted hand-off; what it said."""
    words = ["handoff", str(shoot), "--resume", "--json"]
    code = f"import sys; from velkin.cli import main; sys.exit(main({words!r}))"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
    found: dict[str, Any] = json.loads(done.stdout)
    return found
