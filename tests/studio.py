"""Small simulated frames for tests."""

import sqlite3
from datetime import datetime
from fractions import Fraction
from pathlib import Path

import numpy as np

from velkin.core.charts.built_in import iso24
from velkin.sim.arrangements import tilted_corners
from velkin.sim.camera import Camera
from velkin.sim.dng import Shot, write_dng
from velkin.sim.lights import StudioLight, north_window
from velkin.sim.scenes import Scene


def shoot_chart(
    path: Path,
    corners=None,
    size=(900, 600),
    light: StudioLight | None = None,
    level=0.7,
    clutter=True,
    chart=True,
    orientation=1,
    seed=1,
) -> np.ndarray:
    """Write a raw file of a chart on a table; the corners (4, 2) it was drawn at."""
    light = light or north_window()
    camera = Camera()
    scene = Scene(camera, light.power, *size, seed=seed, level=level)
    scene.table()
    if clutter:
        scene.skein(0.05, 0.5, 10, 0.9, 0.25, "magenta", 2)
        scene.skein(0.95, 0.6, -12, 0.9, 0.25, "teal", 5)
    corners = (
        tilted_corners((size[0] / 2, size[1] / 2), 0.5 * size[0], iso24().aspect, 6, 12, -5) if corners is None else corners
    )
    if chart:
        scene.chart(iso24(), corners)
    mosaic = camera.sensor.expose(scene.rgb, np.random.default_rng(seed))
    neutral = camera.neutral(light.power)
    shot = Shot(datetime(2026, 5, 4, 10, seed % 60), Fraction(1, 60), 8.0, 100, neutral / neutral[1], orientation)
    write_dng(path, mosaic, camera, shot)
    return corners


#: What each version of the shoot file brought, taken out again: from the newest back to the second.
_TAKEN_OUT = {
    8: "ALTER TABLE frames DROP COLUMN warmer; ALTER TABLE frames DROP COLUMN pinker; DROP TABLE fields;",
    7: "DROP TABLE given_looks; DROP TABLE looks;",
    6: """DROP INDEX inverses_by_step; ALTER TABLE inverses DROP COLUMN what; ALTER TABLE inverses DROP COLUMN row;
CREATE INDEX inverses_by_step ON inverses(step);""",
    5: """DROP TABLE run_files; DROP TABLE runs; DROP INDEX written_by_run;
ALTER TABLE written DROP COLUMN run; ALTER TABLE written DROP COLUMN details;""",
    4: "DROP TABLE easings;",
    3: "DROP TABLE spaces;" + "".join(f"ALTER TABLE frames DROP COLUMN {c};" for c in ("kind", "held", "ledger", "pins")),
    2: "DROP TABLE charts; ALTER TABLE frames DROP COLUMN neutral; ALTER TABLE lights DROP COLUMN gift;",
}


def set_back(path, version):
    """Make a closed shoot file one of an earlier version."""
    old = sqlite3.connect(path)
    for (name,) in old.execute("SELECT name FROM sqlite_master WHERE type = 'trigger'").fetchall():
        old.execute(f"DROP TRIGGER {name}")
    for later in range(max(_TAKEN_OUT), version, -1):
        old.executescript(_TAKEN_OUT[later])
    old.execute(f"PRAGMA user_version = {version}")
    old.commit()
    old.close()


def shoot_flat(path: Path, size=(900, 600), share=0.4, aperture=8.0, level=0.7, seed=1) -> None:
    """Write a raw frame of an even white board: a lens that takes `share` at the corners, a light that falls off across."""
    camera, light = Camera(), north_window()
    neutral = camera.neutral(light.power)
    width, height = size
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    y, x = (y + 0.5) / height * 2 - 1, (x + 0.5) / width * 2 - 1
    r = (x**2 + y**2) / 2
    field = (1 - share * (0.75 * r + 0.25 * r**2)) * (1 - 0.1 * (x + 1) / 2)
    rgb = (level * field[..., None] * (neutral / neutral.max())).astype(np.float32)
    mosaic = camera.sensor.expose(rgb, np.random.default_rng(seed))
    shot = Shot(datetime(2026, 5, 4, 10, seed % 60), Fraction(1, 60), aperture, 100, neutral / neutral[1])
    write_dng(path, mosaic, camera, shot)
