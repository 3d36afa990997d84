"""A shoot of many small frames, to try how Velkin carries a working day: same camera, lights that change, a chart in each."""

from __future__ import annotations

from datetime import datetime, timedelta
from fractions import Fraction
from pathlib import Path

import numpy as np

from velkin.core.charts.built_in import iso24
from velkin.sim.arrangements import tilted_corners
from velkin.sim.camera import Camera
from velkin.sim.dng import Shot, write_dng
from velkin.sim.lights import north_window, weaving_lamp
from velkin.sim.scenes import Scene

WIDTH, HEIGHT = 480, 320


def make_crowd(folder: Path, count: int, lights: int = 8) -> list[Path]:
    """Write `count` raw files of 480 × 320 pixels under several lights, the first frame of each light showing the chart."""
    folder.mkdir(parents=True, exist_ok=True)
    camera = Camera()
    rng = np.random.default_rng(1000)
    mosaics = {}
    for warm in (False, True):
        light = weaving_lamp() if warm else north_window()
        for kind in range(4):
            scene = Scene(camera, light.power, WIDTH, HEIGHT, seed=kind, level=0.6)
            scene.table() if kind == 0 else scene.shelf(10 * kind + warm, 3, 4 + kind)
            if kind == 0:
                scene.chart(iso24(), tilted_corners((240, 160), 260, iso24().aspect, 4, 6, 2))
            mosaics[warm, kind] = camera.sensor.expose(scene.rgb, rng), camera.neutral(light.power)
    files = []
    each = -(-count // lights)
    for number in range(count):
        of_light, place = divmod(number, each)
        mosaic, neutral = mosaics[of_light % 2 == 1, 0 if place == 0 else 1 + number % 3]
        mosaic = mosaic.copy()
        mosaic[0, :2] = (512 + number % 997, 512 + number // 997)  # no two files have the same bytes
        time = datetime(2026, 4, 2, 8, 0) + timedelta(hours=of_light, seconds=20 * place)
        path = folder / f"day-{number:04d}.dng"
        write_dng(path, mosaic, camera, Shot(time, Fraction(1, 60), 8.0, 100, neutral / neutral[1]))
        files.append(path)
    return files
