"""The figures of layered pictures, for `make bench`: a large stack merged by a process of its own, beside a library's reading of its parts."""

from __future__ import annotations

import re
import subprocess
import sys
import zipfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import cv2
import imagecodecs
import numpy as np
from figures import Report, at_most

WIDTH, HEIGHT = 6000, 4000
OPERATORS = ("src-over", "multiply", "screen", "overlay", "soft-light", "src-over", "luminosity", "hard-light")
# Each tells seconds and the most memory it took, in MB.
_TOLD = "; print(time.perf_counter() - begun, next(int(w.split()[1]) / 1024 for w in open('/proc/self/status') if w.startswith('VmHWM')))"
READ = (
    "import sys, time, zipfile, imagecodecs; begun = time.perf_counter(); z = zipfile.ZipFile(sys.argv[1]); "
    "[imagecodecs.png_decode(z.read(n)) for n in z.namelist() if n.startswith('data/')]" + _TOLD
)
MERGE = (
    "import sys, time; from pathlib import Path; from velkin.core.files.picture import decode_picture; "
    "begun = time.perf_counter(); decode_picture(Path(sys.argv[1]))" + _TOLD
)


def _made(folder: Path) -> Path:
    """Eight layers with soft shapes and noise over all of the canvas."""
    rng = np.random.default_rng(5)
    lines: list[str] = []
    path = folder / "large.ora"
    with zipfile.ZipFile(path, "w") as archive:
        archive.writestr(zipfile.ZipInfo("mimetype"), "image/openraster")
        noise = np.tile(rng.normal(0, 2, (1000, 1000, 4)).astype(np.float32), (HEIGHT // 1000, WIDTH // 1000, 1))

        def layer(shapes: np.ndarray) -> bytes:
            soft = cv2.resize(shapes.astype(np.float32), (WIDTH, HEIGHT), interpolation=cv2.INTER_CUBIC)
            return bytes(imagecodecs.png_encode(np.clip(soft * 255 + noise, 0, 255).astype(np.uint8), 1))

        with ThreadPoolExecutor() as pool:
            layers = pool.map(layer, [rng.random((40, 60, 4)) for _ in OPERATORS])
        for number, (operator, data) in enumerate(zip(OPERATORS, layers, strict=True)):
            archive.writestr(zipfile.ZipInfo(f"data/{number}.png"), data)
            opacity = "1" if number == 0 else "0.8"
            lines.insert(
                0, f'<layer name="{number}" src="data/{number}.png" composite-op="svg:{operator}" opacity="{opacity}"/>'
            )
        stack = f'<image version="0.0.5" w="{WIDTH}" h="{HEIGHT}"><stack>{"".join(lines)}</stack></image>'
        archive.writestr("stack.xml", stack)
    return path


def _once(script: str, path: Path) -> tuple[float, float]:
    told = subprocess.run([sys.executable, "-c", script, str(path)], check=True, capture_output=True, text=True).stdout
    seconds, memory = re.findall(r"[\d.]+", told)
    return float(seconds), float(memory)


def bench_layers(report: Report, folder: Path) -> None:
    """24 MP in eight layers."""
    path = _made(folder)
    read, _ = _once(READ, path)
    merged, memory = _once(MERGE, path)
    ratio = merged / read
    report.line("merging 24 MP × 8 layers, to reading its PNGs", f"{merged:.1f} s, {ratio:.2f} ×", at_most(ratio, 1.5, "×"))
    report.line("most memory meanwhile", f"{memory:.0f} MB", at_most(memory, 700, "MB"))
