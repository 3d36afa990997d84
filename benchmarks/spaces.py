"""The figures of spaces and tags for `make bench`: conversions beside LittleCMS, inspecting, the try-on sheet."""

from __future__ import annotations

import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import cv2
import imagecodecs
import numpy as np
import tifffile
from figures import Report, at_least, at_most
from numpy.typing import NDArray
from PIL import Image

from velkin.core.conversion.conversion import Conversion
from velkin.core.conversion.pictures import convert_picture
from velkin.core.files.formats import format_named
from velkin.core.icc import transform
from velkin.core.icc.space import LAB, profile_of, space_of
from velkin.core.icc.write import matrix_profile
from velkin.core.spaces.rgb import OPRGB, P3, ROMM, SRGB, between
from velkin.core.tags.inspect import inspect
from velkin.core.tags.plausible import TRIED
from velkin.sim.conversion_trials import INTENTS, SOURCES, between_all, into_press
from velkin.sim.press import press_profile


def picture() -> NDArray[np.uint16]:
    """24 MP of smooth and noisy colours, 16 bits."""
    rng = np.random.default_rng(8)
    coarse = rng.random((50, 75, 3)).astype(np.float32)
    smooth = cv2.resize(coarse, (6000, 4000), interpolation=cv2.INTER_CUBIC)
    noise = rng.standard_normal((1000, 1500, 3), dtype=np.float32) * 0.02
    return np.asarray(np.clip((smooth + np.tile(noise, (4, 4, 1))) * 60000, 0, 65535), dtype=np.uint16)


def timed(work: Callable[[], object], rounds: int = 5) -> float:
    """Best of some rounds, seconds."""
    best = 1e9
    for _ in range(rounds):
        begun = time.perf_counter()
        work()
        best = min(best, time.perf_counter() - begun)
    return best


_MEMORY = """
import sys
import numpy as np
from velkin.core.conversion.conversion import Conversion
from velkin.core.conversion.pictures import convert_picture
from velkin.core.icc.space import LAB
from velkin.core.spaces.rgb import ROMM, SRGB
c = Conversion(LAB if sys.argv[1] == "lab" else ROMM, SRGB)
kind, bits = (np.float32, 32) if sys.argv[1] == "float" else (np.uint16, 16)
convert_picture(np.zeros((600, 600, 3), kind), c, bits)

def peak():
    return int(next(l for l in open("/proc/self/status") if l.startswith("VmHWM")).split()[1]) / 1024

before = peak()
big = np.full((4000, 6000, 3), 0.5 if bits == 32 else 30000, kind)
out = convert_picture(big, c, bits).numbers
print(peak() - before, (big.nbytes + out.nbytes) / 2**20)
"""


def _peak(kind: str) -> tuple[float, float]:
    """MB that a conversion of 24 MP takes at its peak, and how much of it are source and result."""
    found = subprocess.run([sys.executable, "-c", _MEMORY, kind], capture_output=True, text=True, check=True).stdout.split()
    return float(found[0]), float(found[1])


def bench_other_numbers(report: Report, codes: NDArray[np.uint16]) -> None:
    """Float and Lab pictures beside 16-bit RGB ones: time, and memory for each megapixel."""
    plain = timed(lambda: convert_picture(codes, Conversion(ROMM, SRGB), 16))
    floats = codes.astype(np.float32) / np.float32(65535)
    for name, numbers, source, bits in (("float", floats, ROMM, 32), ("Lab, 16 bits", codes, LAB, 16)):
        c = Conversion(source, SRGB)
        convert_picture(numbers[:64], c, bits)
        took = timed(lambda n=numbers, c=c, b=bits: convert_picture(n, c, b))  # type: ignore[misc]
        report.line(f"24 MP {name} → sRGB, over 16-bit RGB", f"{took / plain:.2f} ×", at_most(took / plain, 2, "×"))
    for kind in ("float", "lab"):
        peak = _peak(kind)[0] / 24
        report.line(f"  peak memory of {kind}, source and result included", f"{peak:.0f} MB/MP", at_most(peak, 30, "MB/MP"))


def bench_conversions(report: Report) -> None:
    """Throughput beside LittleCMS's optimised one-core call on the same data, and how exact both are."""
    numbers = picture()
    c = Conversion(ROMM, SRGB)
    convert_picture(numbers[:64], c, 16)
    own = timed(lambda: convert_picture(numbers, c, 16))
    theirs = timed(
        lambda: transform.convert(numbers, matrix_profile(ROMM), matrix_profile(SRGB), black_point=False, optimise=True)
    )
    report.line(
        "24 MP 16-bit, ROMM RGB → sRGB, over LittleCMS optimised",
        f"{theirs / own:.2f} ×  ({24 / own:.0f} MP/s)",
        at_least(theirs / own, 2, "×"),
    )
    sample = numbers[::7, ::7]
    meant = np.clip(SRGB.encode(ROMM.decode(sample / 65535) @ between(ROMM, SRGB).T), 0, 1) * 65535
    for name, found in (
        ("Velkin", convert_picture(sample, c, 16).numbers),
        (
            "LittleCMS optimised",
            transform.convert(sample, matrix_profile(ROMM), matrix_profile(SRGB), black_point=False, optimise=True),
        ),
    ):
        worst = np.abs(found - meant).max()
        report.line(f"  largest error of {name}, 16-bit codes", f"{worst:.1f}", at_most(worst, 2) if name == "Velkin" else "")
    beyond = _peak("codes")
    report.line(
        "  peak memory beyond input and output", f"{beyond[0] - beyond[1]:.0f} MB", at_most(beyond[0] - beyond[1], 100, "MB")
    )
    bench_other_numbers(report, numbers)
    press = space_of(press_profile(4))
    to_press = Conversion(ROMM, press)
    convert_picture(numbers[:64], Conversion(OPRGB, press), 16)
    begun = time.perf_counter()
    convert_picture(numbers, to_press, 16)
    first = time.perf_counter() - begun
    later = timed(lambda: convert_picture(numbers, to_press, 16))

    def lcms() -> object:
        return imagecodecs.cms_transform(
            numbers,
            matrix_profile(ROMM),
            profile_of(press),
            colorspace="rgb",
            outcolorspace="cmyk",
            outdtype=np.uint16,
            intent=1,
            flags=int(imagecodecs.CMS.FLAGS.BLACKPOINTCOMPENSATION),
        )

    theirs = timed(lcms)
    report.line(
        "24 MP 16-bit, ROMM RGB → press, over LittleCMS optimised",
        f"{theirs / later:.2f} ×, first picture {theirs / first:.2f} ×",
        at_least(theirs / later, 1, "×"),
    )
    errors = [into_press(s, i) for s in SOURCES for i in INTENTS]
    report.line(
        "  from LittleCMS unoptimised, four spaces, two intents, ΔE00",
        f"mean {np.mean([e[0] for e in errors]):.3f}, max {max(e[1] for e in errors):.2f}",
        at_most(float(np.mean([e[0] for e in errors])), 0.05),
        at_most(max(e[1] for e in errors), 0.5),
    )
    pairs = between_all()
    report.line(
        f"{pairs.pairs} pairs of built-in spaces, float, largest ΔE00",
        f"{pairs.float_error:.5f}",
        at_most(pairs.float_error, 0.02),
    )
    report.line("  8 bits, largest error in codes", f"{pairs.codes_8:.0f}", at_most(pairs.codes_8, 1))
    report.line(
        "  16 bits, largest error in codes; as light",
        f"{pairs.codes_16:.0f}; {pairs.light_16:.1e}",
        at_most(pairs.codes_16, 2),
        at_most(pairs.light_16, 8e-5),
    )


def bench_inspecting(report: Report, folder: Path) -> None:
    """1,000 files of six kinds: files a second, beside reading their bytes."""
    small = (np.random.default_rng(5).random((600, 800, 3)) * 255).astype(np.uint8)
    kinds: list[bytes] = []
    for name, tag in (("JPEG", OPRGB), ("JPEG", None), ("WEBP", P3)):
        out = folder / "one"
        Image.fromarray(small).save(out, name, icc_profile=matrix_profile(tag) if tag else None)
        kinds.append(out.read_bytes())
    kinds.append(format_named("png").retagged(bytes(imagecodecs.png_encode(small)), matrix_profile(ROMM), "romm"))
    for dtype in (np.uint8, np.uint16):
        tifffile.imwrite(folder / "one", small.astype(dtype), photometric="rgb", iccprofile=matrix_profile(SRGB))
        kinds.append((folder / "one").read_bytes())
    suffixes = ("jpg", "jpg", "webp", "png", "tif", "tif")
    paths = []
    for number in range(1000):
        path = folder / f"{number:04}.{suffixes[number % 6]}"
        path.write_bytes(kinds[number % 6])
        paths.append(path)
    inspect(paths[0])
    begun = time.perf_counter()
    for path in paths:
        inspect(path)
    own = time.perf_counter() - begun
    begun = time.perf_counter()
    for path in paths:
        path.read_bytes()
    reading = time.perf_counter() - begun
    decoding = timed(lambda: [np.asarray(Image.open(p)) for p in paths[:60]], 1) * 1000 / 60
    report.line("inspecting 1,000 files", f"{1000 / own:.0f} files/s", "no pixel decoded")
    report.line("  time over reading their bytes; over decoding them", f"{own / reading:.1f} ×; {own / decoding:.2f} ×")
    for path in paths:
        path.unlink()


_TRY_ON = """
import sys, time
from pathlib import Path
from PyQt6.QtCore import QSettings
from velkin.app.main import leave, make_application
app = make_application()
from velkin.app.window import Window
from velkin.core.shoot.arrivals import look_at
from velkin.core.shoot.shoot import Shoot
from velkin.app.model.places import Page
folder = Path(sys.argv[1])
shoot = Shoot.create(folder / "try.velkin", "try")
frame = shoot.frames.add_frames([look_at(folder / "large.tif")])[0]
shoot.close()
settings = QSettings(str(folder / "try.ini"), QSettings.Format.IniFormat)
settings.setValue("shelf", str(folder / "shelf"))
settings.setValue("icc_folders", str(folder / "icc"))
(folder / "icc").mkdir(exist_ok=True)
window = Window(settings)
window.resize(1280, 800)
window.show()
window.jobs.shoots.open(folder / "try.velkin")
def wait(ready):
    end = time.perf_counter() + 60
    while not ready() and time.perf_counter() < end:
        app.processEvents()
        time.sleep(0.002)
wait(lambda: window.flow.measured is not None and window.flow.measured.exact)
from velkin.core.icc.space import load_space
for path in sorted(folder.glob("extra*.icc")):
    window.model.places.go(Page.TRY_ON, frame, load_space(path))
room = window.navigator.made(Page.TRY_ON)
wait(lambda: bool(room.sheet.tiles))
window.model.places.back()
times = []
for _ in range(3):
    room.sheet.tiles = []
    begun = time.perf_counter()
    window.model.places.go(Page.TRY_ON, frame)
    wait(lambda: bool(room.sheet.tiles))
    app.processEvents()
    times.append(time.perf_counter() - begun)
print(times[0], sorted(times)[1], len(room.sheet.tiles))
leave(window)
"""


def bench_try_on(report: Report, folder: Path) -> None:
    """The first full try-on sheet of a 24 MP picture that is in the viewer."""
    from velkin.core.spaces.custom import OwnSpace

    tifffile.imwrite(folder / "large.tif", picture(), photometric="rgb")
    for number, gamma in enumerate((1.6, 1.9)):
        own = OwnSpace(f"extra {gamma}", P3.primaries, P3.white, "gamma", gamma).space()
        (folder / f"extra{number}.icc").write_bytes(matrix_profile(own))
    result = subprocess.run(
        [sys.executable, "-c", _TRY_ON, str(folder)], capture_output=True, text=True, check=True, env=_offscreen()
    )
    first, median, tiles = result.stdout.split()[-3:]
    report.line(
        f"try-on sheet, {tiles} spaces on 24 MP ({len(TRIED)} built in)",
        f"first {float(first):.2f} s, then {float(median):.2f} s",
        at_most(float(first), 1, "s"),
    )


def _offscreen() -> dict[str, str]:
    import os

    return {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
