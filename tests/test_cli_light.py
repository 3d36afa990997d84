"""`velkin flat`, `support`, and several charts in time with `fit` and `render`, as a script meets them."""

import json

import numpy as np
import pytest
import tifffile

from tests.studio import shoot_chart, shoot_flat
from velkin.cli import main
from velkin.core.spectra import daylight
from velkin.sim.lights import StudioLight


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    made = tmp_path_factory.mktemp("flats")
    shoot_flat(made / "flat.dng")
    shoot_flat(made / "second.dng", seed=2, level=0.5)
    shoot_flat(made / "wide.dng", aperture=2.8, seed=3)
    shoot_chart(made / "chart.dng")
    return made


def asked(capsys, *words):
    status = main([*map(str, words), "--json"])
    out = capsys.readouterr()
    return status, json.loads(out.out), out.err


def test_what_evening_leaves_on_a_second_flat_frame_is_told(folder, capsys):
    """Acceptance: of more than 40 % at most 1 % is left."""
    status, said, _ = asked(capsys, "flat", folder / "flat.dng", folder / "second.dng")
    (other,) = said["others"]
    assert status == 0
    assert min(said["fall_off"].values()) > 0.4 and min(other["before"].values()) > 0.4
    assert max(other["after"].values()) <= 0.01


def test_a_picture_is_rendered_evened(folder, tmp_path, capsys):
    for name, more in (("plain", ()), ("even", ("--flat", folder / "flat.dng"))):
        assert (
            asked(capsys, "render", folder / "second.dng", "--space", "romm-linear", *more, "--out", tmp_path / f"{name}.tif")[
                0
            ]
            == 0
        )
    plain, even = (tifffile.imread(tmp_path / f"{n}.tif")[..., 1].astype(float) for n in ("plain", "even"))

    def corners_to_middle(p):
        return np.mean([p[:30, :30].mean(), p[-30:, -30:].mean()]) / p[285:315, 435:465].mean()

    assert corners_to_middle(plain) < 0.75
    assert corners_to_middle(even) == pytest.approx(1, abs=0.02)


def test_another_aperture_is_warned_of_and_what_is_no_flat_frame_refused(folder, tmp_path, capsys):
    status, _, err = asked(capsys, "render", folder / "second.dng", "--flat", folder / "wide.dng", "--out", tmp_path / "a.tif")
    assert status == 0 and "was shot with f/8 instead of f/2.8; the field of wide.dng is another" in err
    status, said, err = asked(capsys, "flat", folder / "chart.dng")
    assert status == 1 and "no even surface" in said["error"] and "chart.dng" in err
    status, said, _ = asked(capsys, "flat", folder / "flat.dng", folder / "chart.dng", folder / "second.dng")
    assert status == 1 and "no even surface" in said["others"][0]["error"] and "after" in said["others"][1]
    tifffile.imwrite(tmp_path / "b.tif", np.zeros((4, 4, 3), np.uint8))
    assert main(["flat", str(tmp_path / "b.tif")]) == 2
    assert (
        main(
            [
                "render",
                str(folder / "flat.dng"),
                "--camera-rgb",
                "--flat",
                str(folder / "flat.dng"),
                "--out",
                str(tmp_path / "c.tif"),
            ]
        )
        == 2
    )
    capsys.readouterr()


def test_the_white_between_charts_is_that_of_the_time(folder, tmp_path, capsys):
    sky = {name: StudioLight("sky", daylight(kelvin)) for name, kelvin in (("a", 4200.0), ("b", 6800.0))}
    for name, minute in (("a", 5), ("b", 45)):
        shoot_chart(tmp_path / f"{name}.dng", light=sky[name], seed=minute, size=(720, 480))
    shoot_chart(tmp_path / "c.dng", light=sky["a"], seed=25, chart=False, size=(720, 480))
    charts = f"chart:{tmp_path / 'a.dng'},{tmp_path / 'b.dng'}"

    def mean(*words):
        out = tmp_path / "o.tif"
        status, _, err = asked(
            capsys, "render", tmp_path / "c.dng", *words, "--space", "romm-linear", "--out", out, "--replace"
        )
        assert status == 0
        return tifffile.imread(out).reshape(-1, 3).mean(axis=0), err

    first, last = (mean("--balance", f"chart:{tmp_path / name}.dng")[0] for name in "ab")
    between, err = mean("--balance", charts)
    assert err == "" and first[0] / first[2] < between[0] / between[2] < last[0] / last[2]
    np.testing.assert_allclose(mean("--balance", charts, "--at", "2026-05-04T10:05:00")[0], first, rtol=2e-4)
    late, err = mean("--balance", charts, "--at", "2026-05-04T11:00:00")
    np.testing.assert_allclose(late, last, rtol=2e-4)
    assert "the balance of b.dng, the nearest, is held" in err
    np.testing.assert_allclose(mean("--balance", charts, "--at", tmp_path / "a.dng")[0], first, rtol=2e-4)
    for words in (("--at", "noon", "--balance", charts), ("--at", "2026-05-04T10:05:00")):
        assert main(["render", str(tmp_path / "c.dng"), *words, "--out", str(tmp_path / "x.tif")]) == 2
    capsys.readouterr()


@pytest.fixture(scope="module")
def evening(tmp_path_factory):
    """Three charts of a light that moves, the middle one standing for a frame between the others, and what a profile makes of it."""
    made = tmp_path_factory.mktemp("evening")
    for name, kelvin, minute in (("a", 5600.0, 5), ("b", 5200.0, 25), ("c", 4850.0, 45)):
        shoot_chart(made / f"{name}.dng", light=StudioLight("sky", daylight(kelvin)), seed=minute, size=(900, 600))
        assert (
            main(
                ["fit", str(made / f"{name}.dng"), "--chart", "iso24", "--model", "matrix", "--out", str(made / f"{name}.json")]
            )
            == 0
        )
    return made


def test_a_profile_is_fitted_for_a_time_between_charts(evening, tmp_path, capsys):
    """Held to the chart that was shot just then."""
    words = ("fit", evening / "a.dng", "--chart", "iso24", "--model", "matrix", "--also", evening / "c.dng")
    status, said, err = asked(capsys, *words, "--at", "2026-05-04T10:25:00", "--out", tmp_path / "between.json")
    own = json.loads((evening / "b.json").read_text())["fits"][0]["cct"]
    assert status == 0 and err == "" and said["lights"][0]["cct"] == pytest.approx(own, rel=0.01)
    assert json.loads((tmp_path / "between.json").read_text())["fits"][0]["chart_frame"] == "a.dng to c.dng"
    status, late, err = asked(capsys, *words, "--at", "2026-05-04T11:25:00", "--out", tmp_path / "late.json")
    alone = asked(capsys, "fit", evening / "c.dng", "--chart", "iso24", "--model", "matrix", "--out", tmp_path / "c.json")[1]
    assert status == 0 and late["mean"] == pytest.approx(alone["mean"]) and "the nearest, is held" in err
    for wrong in (("--also", evening / "c.dng"), ("--at", "2026-05-04T10:25:00")):
        assert main([*map(str, ("fit", evening / "a.dng", "--chart", "iso24", *wrong, "--out", tmp_path / "x.json"))]) == 2
    capsys.readouterr()


def test_several_profiles_are_mixed_in_time(evening, tmp_path, capsys):
    charts = f"chart:{evening / 'a.dng'},{evening / 'c.dng'}"

    def mean(profiles, balance, *more):
        out = tmp_path / "o.tif"
        where = ("--space", "romm-linear", "--out", out, "--replace")
        status, said, _ = asked(capsys, "render", evening / "b.dng", "--profile", profiles, "--balance", balance, *more, *where)
        assert status == 0, said
        return tifffile.imread(out).reshape(-1, 3).mean(axis=0)

    both = f"{evening / 'a.json'},{evening / 'c.json'}"
    own = mean(evening / "b.json", "chart")
    np.testing.assert_allclose(mean(both, charts), own, rtol=0.01)
    np.testing.assert_allclose(mean(both, charts, "--at", evening / "a.dng"), mean(evening / "a.json", "chart"), rtol=1e-3)
    one_for_all = mean(evening / "a.json", "chart")
    assert np.abs(one_for_all / own - 1).max() > 0.03
    words = ("render", evening / "b.dng", "--profile", both, "--balance", "chart", "--out", tmp_path / "x.tif")
    assert main([*map(str, words)]) == 2 and "one for each" in capsys.readouterr().err


def test_what_the_chart_does_not_vouch_for_is_told(folder, tmp_path, capsys):
    status, said, _ = asked(capsys, "support", folder / "chart.dng", folder / "chart.dng")
    assert status == 0 and 0.05 < said["share"] < 0.6  # two skeins of strong dyes lie beside the chart
    assert said["missing"][0]["share"] <= said["share"] and len(said["missing"][0]["lab"]) == 3
    status, said, _ = asked(capsys, "support", folder / "flat.dng", folder / "chart.dng")
    assert status == 0 and said["share"] < 0.01
    evened = asked(capsys, "support", folder / "flat.dng", folder / "chart.dng", "--flat", folder / "second.dng")[1]
    assert evened["share"] < 0.01
    status, said, err = asked(capsys, "support", folder / "chart.dng", folder / "flat.dng")
    assert status == 1 and "flat.dng" in err
