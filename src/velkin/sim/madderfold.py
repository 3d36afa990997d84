"""The demo shoot: Madderfold Dyeworks' spring skeins under a north window and a weaving lamp (all simulated)."""

from __future__ import annotations

import hashlib
import multiprocessing
import os
from collections.abc import Callable, Collection, Iterator
from concurrent.futures import FIRST_COMPLETED, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from dataclasses import dataclass
from datetime import datetime, timedelta
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from velkin.core.charts.built_in import iso24
from velkin.sim.camera import Camera, field_two
from velkin.sim.dng import Shot, write_dng
from velkin.sim.lights import StudioLight, north_window, weaving_lamp
from velkin.sim.scenes import Scene

Floats = NDArray[np.float64]

WIDTH, HEIGHT = 2400, 1600
TITLE = "Madderfold spring skeins"
RECIPE = "5"  # raised when the pictures change, so that an older folder is made anew


@dataclass(frozen=True)
class _Frame:
    name: str
    light: str
    draw: Callable[[Scene], None]
    minutes: int
    seed: int


def tilted_corners(
    centre: tuple[float, float], width: float, aspect: float, turn: float, tilt: float, lean: float = 0.0
) -> Floats:
    """Corners (4, 2) in pixels of a flat rectangle seen by a camera four widths away.

    `turn` rotates it in the picture, `tilt` about its horizontal and `lean` about its vertical axis, in degrees; `width` in pixels.
    """
    x, y = width / 2, width / aspect / 2
    points = np.array([[-x, -y, 0], [x, -y, 0], [x, y, 0], [-x, y, 0]], dtype=np.float64)
    a, b, c = np.deg2rad([turn, tilt, lean])
    about_x = np.array([[1, 0, 0], [0, np.cos(b), -np.sin(b)], [0, np.sin(b), np.cos(b)]])
    about_y = np.array([[np.cos(c), 0, np.sin(c)], [0, 1, 0], [-np.sin(c), 0, np.cos(c)]])
    about_z = np.array([[np.cos(a), -np.sin(a), 0], [np.sin(a), np.cos(a), 0], [0, 0, 1]])
    points = points @ (about_z @ about_y @ about_x).T
    distance = 4 * width
    scale = distance / (distance + points[:, 2:3])
    return np.asarray(points[:, :2] * scale + np.array(centre))


def chart_corners(light: str) -> Floats:
    """Where the chart lies in the chart frame of each light, (4, 2) in pixels."""
    if light == "north":
        return tilted_corners((1230, 800), 1180, iso24().aspect, -5.0, 14.0, 6.0)
    return tilted_corners((1180, 810), 1120, iso24().aspect, 7.0, -16.0, -8.0)


def _north_chart(s: Scene) -> None:
    s.table()
    s.skein(0.06, 0.45, 12, 1.05, 0.26, "magenta", 2)
    s.skein(0.93, 0.70, -20, 0.80, 0.24, "teal", 5)
    s.chart(iso24(), chart_corners("north"))


def _lamp_chart(s: Scene) -> None:
    s.table()
    s.skein(0.05, 0.30, 20, 0.95, 0.25, "crimson", 12)
    s.skein(0.80, 0.06, 78, 0.95, 0.24, "ochre", 8)
    s.skein(0.95, 0.80, -8, 0.70, 0.22, "teal", 5)
    s.chart(iso24(), chart_corners("lamp"))


def _neutral(turn: float) -> Callable[[Scene], None]:
    def draw(s: Scene) -> None:
        s.paper(0.36)
        s.card(tilted_corners((s.width / 2, s.height / 2), 0.62 * s.width, 1.45, turn, 8.0))

    return draw


def _six_skeins(s: Scene) -> None:
    s.paper()
    for cx, cy, angle, bath, seed in (
        (0.885, 0.50, -8, "indigo", 21),
        (0.115, 0.51, 8, "rust", 14),
        (0.735, 0.49, -5, "teal", 5),
        (0.265, 0.49, 5, "ochre", 8),
        (0.575, 0.515, -1.5, "natural", 31),
        (0.420, 0.50, 2, "magenta", 2),
    ):
        s.skein(cx, cy, angle, 0.90, 0.245, bath, seed)


def _one(bath: str, seed: int, angle: float = 68) -> Callable[[Scene], None]:
    def draw(s: Scene) -> None:
        s.paper()
        s.skein(0.5, 0.5, angle, 1.05, 0.34, bath, seed, depth=(0.6, 3.0))

    return draw


def _several(*skeins: tuple[float, float, float, str, int]) -> Callable[[Scene], None]:
    def draw(s: Scene) -> None:
        s.paper()
        for cx, cy, angle, bath, seed in skeins:
            s.skein(cx, cy, angle, 0.90, 0.32, bath, seed)

    return draw


def _gingham(s: Scene) -> None:
    s.paper()
    s.cloth(0.5, 0.5, 4, 0.62, 0.44, ("indigo", "natural"), ("indigo", "natural"), "plain", 61, stripes=10)


def _orange_twill(s: Scene) -> None:
    s.paper()
    s.cloth(0.5, 0.5, -4, 0.56, 0.44, ("orange",), ("ochre",), "herringbone", 62)


def _two_cloths(s: Scene) -> None:
    s.paper()
    s.cloth(0.33, 0.48, 6, 0.42, 0.46, ("moss",), ("ochre",), "twill", 63)
    s.cloth(0.70, 0.54, -7, 0.36, 0.46, ("magenta",), ("plum",), "basket", 64)


def _doll(s: Scene) -> None:
    """A doll of dyed felt, whose face stands in for skin: arms, dress, face, cheeks, hair, eyes."""
    s.paper()
    for cx, turn in ((0.37, 1), (0.63, 2)):
        s.felt(cx, 0.66, 0.14, 0.30, "skin", 70 + turn)
    s.cloth(0.5, 0.84, 0, 0.24, 0.30, ("teal",), ("natural", "teal"), "plain", 66, stripes=8)
    s.felt(0.5, 0.30, 0.62, 0.56, "rust", 67)
    s.felt(0.5, 0.38, 0.50, 0.56, "skin", 68)
    for cx in (0.44, 0.56):
        s.felt(cx, 0.45, 0.12, 0.10, "skin", 73, 1.9)
        s.felt(cx, 0.36, 0.045, 0.06, "plum", 74, 2.2)
    s.felt(0.5, 0.53, 0.13, 0.035, "crimson", 75)


_FRAMES = (
    _Frame("north-0401", "north", _north_chart, 0, 401),
    _Frame("north-0402", "north", _neutral(-3.0), 1, 402),
    _Frame("north-0412", "north", _six_skeins, 9, 412),
    _Frame("north-0413", "north", _one("magenta", 2), 12, 413),
    _Frame("north-0414", "north", _several((0.34, 0.5, 8, "teal", 5), (0.68, 0.5, -6, "indigo", 23)), 15, 414),
    _Frame(
        "north-0415",
        "north",
        _several((0.24, 0.5, 8, "ochre", 8), (0.5, 0.5, 0, "rust", 15), (0.77, 0.5, -7, "moss", 19)),
        18,
        415,
    ),
    _Frame("lamp-0501", "lamp", _lamp_chart, 95, 501),
    _Frame("lamp-0502", "lamp", _neutral(4.0), 96, 502),
    _Frame("lamp-0505", "lamp", _several((0.34, 0.5, 6, "rust", 33), (0.67, 0.5, -8, "plum", 35)), 104, 505),
    _Frame("lamp-0506", "lamp", _gingham, 108, 506),
    _Frame("lamp-0507", "lamp", _orange_twill, 111, 507),
    _Frame("lamp-0508", "lamp", _two_cloths, 115, 508),
)

#: Chart frames gone wrong, made beside the shoot's own, to try the judgements on.
_FAULTS = (
    _Frame("north-0497", "north", _north_chart, 2, 497),
    _Frame("north-0498", "north", _north_chart, 3, 498),
    _Frame("north-0499", "north", _north_chart, 4, 499),
)


#: The same bench under the north window, by a second camera.
_SECOND = (
    _Frame("field-0201", "north", _north_chart, 40, 201),
    _Frame("field-0203", "north", _six_skeins, 44, 203),
    _Frame("field-0205", "north", _doll, 47, 205),
)


def _spoil(scene: Scene, name: str) -> None:
    """What is wrong with a faulty chart frame: glare on a few patches, a shadow across, or light that falls off."""
    corners = chart_corners("north")
    middle, pitch = corners.mean(axis=0), float(np.linalg.norm(corners[1] - corners[0])) / 6
    if name.endswith("497"):
        scene.glare((float(middle[0] + 1.6 * pitch), float(middle[1] - 0.6 * pitch)), 0.9 * pitch, 0.14)
    elif name.endswith("498"):
        scene.cast_shadow((float(middle[0] + 0.7 * pitch), float(middle[1])), 24.0, 0.42, 0.05 * pitch)


def fault_files(folder: Path) -> list[Path]:
    """The faulty chart frames: glare, shadow, uneven light; they lie beside the folder of the shoot's frames."""
    return [folder.parent / "faults" / f"{frame.name}.dng" for frame in _FAULTS]


def second_camera_files(folder: Path) -> list[Path]:
    """What the second camera shot; they lie beside the folder of the shoot's first frames."""
    return [folder.parent / "second camera" / f"{frame.name}.dng" for frame in _SECOND]


def _every(folder: Path) -> list[tuple[_Frame, Path]]:
    """All frames with their files."""
    frames = (*_FRAMES, *_FAULTS, *_SECOND)
    return list(zip(frames, [*frame_files(folder), *fault_files(folder), *second_camera_files(folder)], strict=True))


def light_of(name: str) -> StudioLight:
    """The light ``north`` or ``lamp``."""
    return north_window() if name == "north" else weaving_lamp()


def _shoot_frame(folder: Path, index: int) -> Path:
    cv2.setNumThreads(1)
    frame, path = _every(folder)[index]
    faulty = frame in _FAULTS
    camera, light = field_two() if frame in _SECOND else Camera(), light_of(frame.light)
    scene = Scene(camera, light.power, WIDTH, HEIGHT, frame.seed, level=0.74 if frame.light == "north" else 0.56)
    subject = not faulty and not any(n in frame.name for n in ("040", "050", "0201"))
    scene.light_falls(0.16 if subject else 0.030, 0.10 if subject else -0.020)
    if frame.name.endswith("0499"):
        scene.light_falls(0.75, 0.25)
    frame.draw(scene)
    if faulty:
        _spoil(scene, frame.name)
    scene.defocus(0.7)
    rng = np.random.default_rng(9000 + frame.seed)
    mosaic = camera.sensor.expose(scene.rgb, rng)
    guess = camera.neutral(light.power) * np.array([1.03, 1.0, 0.965])  # the camera's own white balance is a little off
    shot = Shot(
        datetime(2026, 3, 17, 10, 4, 0) + timedelta(minutes=frame.minutes, seconds=frame.seed % 60),
        Fraction(1, 60) if frame.light == "north" else Fraction(1, 25),
        8.0,
        100,
        guess / guess[1],
    )
    path.parent.mkdir(parents=True, exist_ok=True)
    unfinished = path.with_suffix(f".{os.getpid()}.part")
    write_dng(unfinished, mosaic, camera, shot)
    os.replace(unfinished, path)
    return path


def frame_files(folder: Path) -> list[Path]:
    """The demo's raw files in shooting order, whether they are there yet or not."""
    return [folder / f"{frame.name}.dng" for frame in _FRAMES]


def lights() -> dict[str, list[str]]:
    """Names of the frames of each light, in shooting order."""
    result: dict[str, list[str]] = {}
    for frame in _FRAMES:
        result.setdefault(light_of(frame.light).name, []).append(frame.name)
    return result


def _is_of_this_recipe(folder: Path) -> bool:
    mark = folder / "recipe.txt"
    return mark.is_file() and mark.read_text().strip() == RECIPE


def make(
    folder: Path,
    progress: Callable[[int, int], None] = lambda done, total: None,
    names: Collection[str] | None = None,
    stopped: Callable[[], bool] = lambda: False,
) -> list[Path]:
    """Make the demo's raw files (about 138 MB with three chart frames gone wrong and three of a second camera); what is there from this version is kept.

    Parameters
    ----------
    folder : Path
        Made when missing.
    progress : callable
        Called with the number of frames made and their total.
    names : collection of str, optional
        Make only these frames.
    stopped : callable
        Asked now and then; when it says so the files not yet made are left out. A file is there whole or not at all.

    Returns
    -------
    list of Path
        The frames of the shoot itself, whether they are there yet or not.
    """
    if not _is_of_this_recipe(folder):
        folder.mkdir(parents=True, exist_ok=True)
        for old in (d for _, path in _every(folder) for d in path.parent.glob("*.dng")):
            old.unlink()  # of an earlier version
        (folder / "recipe.txt").write_text(RECIPE + "\n")
    every = [(index, path) for index, (_, path) in enumerate(_every(folder))]
    wanted = [(i, p) for i, p in every if (names is None or p.stem in names) and not p.is_file()]
    if not wanted:
        return frame_files(folder)
    for done, _ in enumerate(_as_they_are_made(folder, [index for index, _ in wanted], stopped), start=1):
        progress(done, len(wanted))
    return frame_files(folder)


def _as_they_are_made(folder: Path, indices: list[int], stopped: Callable[[], bool]) -> Iterator[None]:
    """Make frames on all cores, one item for each; one after another where no process can share the work, or one that did died."""
    left, others = set(indices), set(multiprocessing.active_children())
    try:
        fresh = multiprocessing.get_context("spawn")  # not forked: the window's threads may be running already
        with ProcessPoolExecutor(min(os.cpu_count() or 1, len(indices)), fresh) as pool:
            jobs = {pool.submit(_shoot_frame, folder, index): index for index in indices}
            while left:
                if stopped():
                    for process in set(multiprocessing.active_children()) - others:
                        process.terminate()
                    pool.shutdown(cancel_futures=True)
                    return
                for job in wait(jobs, timeout=0.1, return_when=FIRST_COMPLETED).done:
                    job.result()
                    left.discard(jobs.pop(job))
                    yield
            return
    except (OSError, BrokenProcessPool):
        for index in sorted(left):
            if stopped():
                return
            _shoot_frame(folder, index)
            yield


def digest(folder: Path) -> str:
    """SHA-256 over all raw files of the folder, to show that two runs made the same."""
    total = hashlib.sha256()
    for path in frame_files(folder):
        total.update(path.read_bytes())
    return total.hexdigest()
