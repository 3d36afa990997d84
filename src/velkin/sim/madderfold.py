"""The demo's raw files: Madderfold Dyeworks' spring range, simulated sitting by sitting, each file the same on every run."""

from __future__ import annotations

import hashlib
import multiprocessing
import os
from collections.abc import Callable, Collection, Iterator
from concurrent.futures import FIRST_COMPLETED, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from dataclasses import replace
from datetime import datetime, timedelta
from pathlib import Path

import cv2
import numpy as np

from velkin.core.cores import all_cores
from velkin.sim.dng import Shot, write_dng
from velkin.sim.scenes import Scene
from velkin.sim.sittings import EVERY, FIRST, LAMP, NORTH, Frame, Sitting

TITLE = "Madderfold spring skeins"
RECIPE = "7"  # raised when the pictures change, so that an older folder is made anew


def files_of(sitting: Sitting, folder: Path) -> list[Path]:
    """The raw files of a sitting in shooting order, whether they are there yet or not; `folder` is that of the shoot's first frames."""
    here = folder if sitting.folder == FIRST else folder.parent / sitting.folder
    return [here / f"{frame.name}.dng" for frame in sitting.frames]


def frame_files(folder: Path) -> list[Path]:
    """The raw files of the two sittings that lie in `folder`."""
    return [path for sitting in (NORTH, LAMP) for path in files_of(sitting, folder)]


def _every(folder: Path) -> list[tuple[Sitting, Frame, Path]]:
    """All frames with their files."""
    return [(s, *pair) for s in EVERY for pair in zip(s.frames, files_of(s, folder), strict=True)]


def _shoot_frame(folder: Path, index: int) -> Path:
    cv2.setNumThreads(1)
    sitting, frame, path = _every(folder)[index]
    camera, light = sitting.camera(), (frame.light or sitting.light)()
    scene = Scene(camera, light.power, *sitting.size, frame.seed, sitting.level if frame.level is None else frame.level)
    scene.light_falls(*frame.falls)
    frame.draw(scene)
    scene.defocus(0.7)
    rng = np.random.default_rng(9000 + frame.seed)
    mosaic = replace(camera.sensor, vignetting=sitting.vignetting).expose(scene.rgb, rng)
    guess = camera.neutral(light.power) * np.array([1.03, 1.0, 0.965])  # the camera's own white balance is a little off
    shot = Shot(
        datetime(2026, 3, 17, 10, 4, 0) + timedelta(minutes=frame.minutes, seconds=frame.seed % 60),
        sitting.shutter,
        frame.aperture,
        100,
        guess / guess[1],
    )
    path.parent.mkdir(parents=True, exist_ok=True)
    unfinished = path.with_suffix(f".{os.getpid()}.part")
    write_dng(unfinished, mosaic, camera, shot, preview=True)
    os.replace(unfinished, path)
    return path


def _is_of_this_recipe(folder: Path) -> bool:
    mark = folder / "recipe.txt"
    return mark.is_file() and mark.read_text().strip() == RECIPE


def make(
    folder: Path,
    progress: Callable[[int, int], None] = lambda done, total: None,
    names: Collection[str] | None = None,
    stopped: Callable[[], bool] = lambda: False,
) -> list[Path]:
    """Make the demo's raw files (about 200 MB); what is there from this version is kept.

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
        for old in (d for _, _, path in _every(folder) for d in path.parent.glob("*.dng")):
            old.unlink()  # of an earlier version
        (folder / "recipe.txt").write_text(RECIPE + "\n")
    every = [(index, path) for index, (_, _, path) in enumerate(_every(folder))]
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
        with ProcessPoolExecutor(min(all_cores(), len(indices)), fresh) as pool:
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
