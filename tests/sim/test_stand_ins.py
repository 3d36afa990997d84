"""The stand-ins: the same bytes on every run, spectral, and honest about being simulated."""

import numpy as np
import tifffile

from velkin.core.spaces.rgb import SRGB
from velkin.core.spectra import daylight, xyz_of_surfaces
from velkin.sim import madderfold
from velkin.sim.camera import Camera
from velkin.sim.dyes import BATHS, smooth_reflectances


def test_demo_is_complete_small_and_says_it_is_simulated(demo_frames):
    files = madderfold.frame_files(demo_frames)
    assert len(files) == 12 and all(f.is_file() for f in files)
    assert sum(f.stat().st_size for f in files) < 150e6
    with tifffile.TiffFile(files[0]) as dng:
        assert "not a photograph" in dng.pages[0].description
        assert dng.pages[0].shape == (1600, 2400)


def test_the_same_frame_is_the_same_bytes(demo_frames, tmp_path):
    for index in (1, 9):
        again = madderfold._shoot_frame(tmp_path, index)
        assert again.read_bytes() == (demo_frames / again.name).read_bytes()


def test_what_is_made_is_not_made_again(demo_frames):
    times = [f.stat().st_mtime_ns for f in madderfold.frame_files(demo_frames)]
    madderfold.make(demo_frames)
    assert [f.stat().st_mtime_ns for f in madderfold.frame_files(demo_frames)] == times


def test_some_dyes_lie_far_outside_srgb():
    deep = np.array([bath.reflectance(np.array([2.4]))[0] for bath in BATHS.values()])
    linear = xyz_of_surfaces(deep, daylight(5003)) @ SRGB.from_xyz.T
    assert (linear.min(axis=1) < -0.002).sum() >= 3
    assert linear.min() < -0.05
    assert np.all((deep > 0) & (deep < 1))


def test_no_matrix_is_exact_for_the_camera():
    camera, colours = Camera(), smooth_reflectances(80, 3)
    light = daylight(6504)
    xyz, rgb = xyz_of_surfaces(colours, light), camera.respond(colours, light)
    best = np.linalg.lstsq(rgb, xyz, rcond=None)[0]
    error = np.abs(rgb @ best - xyz).max()
    assert 0.002 < error < 0.2


def test_sensor_noise_and_clipping():
    sensor = Camera().sensor
    rng = np.random.default_rng(1)
    flat = sensor.expose(np.full((200, 200, 3), 0.25, np.float32), rng)[80:120, 80:120]
    assert abs((flat.mean() - sensor.black) / (sensor.white - sensor.black) - 0.25) < 0.002
    assert 0.005 < flat.std() / (flat.mean() - sensor.black) < 0.02
    assert sensor.expose(np.full((4, 4, 3), 9.0, np.float32), rng).max() == sensor.white
