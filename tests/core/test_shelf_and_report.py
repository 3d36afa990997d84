"""The shelf keeps profiles by what they do; the report says in words what the figures mean."""

import csv
import json
from dataclasses import replace

import numpy as np
import pytest

from velkin.core.cameraprofiles.export import exported
from velkin.core.cameraprofiles.fit import fit
from velkin.core.cameraprofiles.profile import Figures
from velkin.core.cameraprofiles.report import differences_by_hue, hue_name, patch_colours, report_csv, verdict, wrong_built_in
from velkin.core.cameraprofiles.shelf import Shelf, fingerprint, name_by_pattern
from velkin.core.errors import BadProfile, NotSupported, OutputRefused
from velkin.core.files.names import file_name
from velkin.core.spaces.lab import xyz_to_lab

from .test_fit import CAMERAS, CHART, LIGHTS, request


@pytest.fixture(scope="module")
def fitted():
    return fit(request(CAMERAS["studio"], LIGHTS["north"].power, name="North"))


@pytest.fixture
def shelf(tmp_path, fitted):
    made = Shelf(tmp_path / "profiles")
    made.add(fitted.of("matrix"))
    made.add(fitted.of("rootpoly"))
    return made


def test_an_empty_or_missing_folder_is_an_empty_shelf(tmp_path):
    shelf = Shelf(tmp_path / "nowhere")
    assert not shelf.scan() and shelf.entries == ()


def test_profiles_are_added_once_however_they_are_called(shelf, fitted):
    assert [e.path.name for e in shelf.entries] == ["North 2.json", "North.json"]
    again = shelf.add(replace(fitted.of("matrix"), name="Another name"))
    assert again.name == "North.json" and len(shelf.entries) == 2


def test_new_changed_and_vanished_files_are_seen(shelf, fitted, tmp_path):
    assert not shelf.scan()
    (shelf.folder / "foreign.dcp").write_bytes(exported(fitted.of("table"), ".dcp").data)
    (shelf.folder / "notes.txt").write_text("left alone")
    assert shelf.scan() and len(shelf.entries) == 3
    (shelf.folder / "foreign.dcp").write_bytes(b"II broken")
    assert shelf.scan()
    broken = next(e for e in shelf.entries if e.path.suffix == ".dcp")
    assert broken.profile is None and broken.problem and broken.name == "foreign.dcp"
    broken.path.unlink()
    assert shelf.scan() and len(shelf.entries) == 2


def test_on_and_off_name_and_notes_are_kept_beside_the_files(shelf, fitted):
    entry = shelf.entries[1]
    before = entry.path.read_bytes()
    shelf.decide(entry, on=False)
    shelf.decide(entry, name="Window, spring", notes="chart was clean")
    assert entry.path.read_bytes() == before
    again = Shelf(shelf.folder)
    again.scan()
    kept = again.entries[1]
    assert (kept.name, kept.kept.on, kept.kept.notes) == ("Window, spring", False, "chart was clean")
    assert kept.named().name == "Window, spring" and fingerprint(kept.named()) == kept.digest
    assert again.state_of(fitted.of("matrix")) == "off"
    assert again.state_of(fitted.of("rootpoly")) == "on"
    assert again.state_of(fitted.of("table")) == "gone"
    assert [e.path.name for e in again.usable("Velkin Studio One")] == ["North 2.json"]
    assert again.usable("Another") == ()
    (shelf.folder / "shelf.json").write_text("{broken")
    again.scan()
    assert all(e.kept.on for e in again.entries)


def test_duplicates_are_found_by_what_they_do(shelf, fitted):
    assert shelf.duplicates() == {}
    (shelf.folder / "copy.json").write_text(replace(fitted.of("matrix"), name="Copy", notes="x").to_json())
    shelf.scan()
    (group,) = shelf.duplicates().values()
    assert {e.name for e in group} == {"Copy", "North"}
    assert fingerprint(fitted.of("matrix")) != fingerprint(fitted.of("rootpoly"))


def test_files_are_brought_and_taken_off_without_loss(shelf, fitted, tmp_path):
    outside = tmp_path / "window.dcp"
    outside.write_bytes(exported(fitted.of("table"), ".dcp").data)
    there = shelf.bring(outside)
    assert there.read_bytes() == outside.read_bytes() and len(shelf.entries) == 3
    assert shelf.bring(outside) == there  # the same bytes are not brought twice
    for name, error in (("broken.dcp", BadProfile), ("text.txt", NotSupported)):
        (tmp_path / name).write_bytes(b"nothing")
        with pytest.raises(error):
            shelf.bring(tmp_path / name)
    entry = next(e for e in shelf.entries if e.path == there)
    gone = shelf.remove(entry)
    assert gone.exists() and not there.exists() and len(shelf.entries) == 2


def test_names_of_files(fitted):
    assert file_name(' a/b:c*? "d" ', "profile") == "a b c d" and file_name("///", "profile") == "profile"
    profile = fitted.of("table")
    assert name_by_pattern("{camera}, {light} {date}", profile, "2026-11") == "Velkin Studio One, the light 2026-11"
    for wrong in ("{nothing}", "{", "{name.x}"):
        with pytest.raises(OutputRefused, match="name pattern"):
            name_by_pattern(wrong, profile, "")


# ---- report -------------------------------------------------------------------------------------------------------


def test_the_report_lists_every_patch_with_both_differences(fitted):
    asked = request(CAMERAS["studio"], LIGHTS["north"].power)
    colours = patch_colours(asked, np.ones(3))
    profile = fitted.of("table")
    after = colours.through(profile.colours(colours.balance))
    rows = list(csv.DictReader(report_csv(colours, after).splitlines()))
    assert [r["patch"] for r in rows] == list(CHART.ids)
    told = {p.id: p for p in profile.patches}
    for row in rows:
        assert float(row["after_dE00"]) == pytest.approx(told[row["patch"]].after, abs=2e-3)
        assert float(row["before_dE00"]) == pytest.approx(told[row["patch"]].before, abs=2e-3)
    assert np.allclose(xyz_to_lab(colours.reference)[0], [float(rows[0][f"reference_{k}"]) for k in "Lab"], atol=1e-3)


@pytest.mark.parametrize(
    ("figures", "state"),
    [
        (Figures(0.5, 1, 2, 0.7, 0.2, 3), "very good"),
        (Figures(1.5, 3, 4, 2.0, 0.5, 5), "good"),
        (Figures(1.2, 3, 9, 2.0, 0.5, 5), "one patch off"),
        (Figures(0.9, 3, 5, 4.0, 0.5, 5), "fits the chart only"),
        (Figures(3.0, 6, 9, 4.0, 0.5, 9), "poor"),
        (Figures(1.0, 3, 5, 1.2, 2.5, 5), "greys off"),
    ],
)
def test_the_verdict_is_one_word_and_a_sentence(figures, state):
    word, sentence = verdict(figures)
    assert word == state and sentence.endswith(".")


def test_the_report_matches_exposure_by_the_greys_that_count(fitted):
    sensor, power = CAMERAS["studio"], LIGHTS["north"].power
    from velkin.sim.fit_trials import chart_rgb

    rgb = chart_rgb(sensor, power, CHART)
    rgb[18] *= 0.5  # the white is spoilt, and left out
    asked = request(sensor, power, rgb, weights=((CHART.ids[18], 0.0),))
    profile = fit(asked).of("table")
    colours = patch_colours(asked, np.ones(3))
    shown = colours.errors(colours.through(profile.colours(colours.balance)))
    told = {p.id: p.after for p in profile.patches}
    assert [shown[i] for i, name in enumerate(CHART.ids) if name in told] == pytest.approx(list(told.values()), abs=2e-3)


def test_a_wrong_built_in_matrix_is_said_to_be_wrong():
    from velkin.core.cameraprofiles.matrices import ColourMatrices

    asked = request(CAMERAS["studio"], LIGHTS["north"].power)
    right = fit(asked).of("matrix").figures
    assert wrong_built_in(right) == ""
    swapped = tuple(tuple(np.array(m).reshape(3, 3)[[1, 0, 2]].ravel()) for m in asked.built_in.matrices)
    wrong = fit(replace(asked, built_in=ColourMatrices(swapped, asked.built_in.kelvins))).of("matrix").figures
    assert wrong.before > 10 and "times as much" in wrong_built_in(wrong)
    assert wrong.mean == pytest.approx(right.mean, abs=0.05)


def test_differences_are_named_by_hue():
    reds, blues, greys = [[45.0, 60, 25], [50, 55, 20]], [[35.0, 5, -50], [40, 0, -45]], [[50.0, 0, 0], [80, 1, 0]]
    than = np.array(reds + blues + greys)
    lab = than.copy()
    lab[:2, 0] -= 4.1
    angle = np.radians(6.0)
    lab[2:4, 1:] = lab[2:4, 1:] @ np.array([[np.cos(angle), np.sin(angle)], [-np.sin(angle), np.cos(angle)]])
    words = differences_by_hue(lab, than)
    assert words[0] == "blues 6° towards violet" and words[1] == "reds 4.1 darker" and len(words) == 2
    lab = than + [0.0, 0.0, 3.0]
    assert any(w.startswith("greys 3.0 towards yellow") for w in differences_by_hue(lab, than))
    assert differences_by_hue(than, than) == []
    assert [hue_name(a) for a in (20, 60, 90, 150, 200, 270, 320, 350, 380)] == [
        "reds", "oranges", "yellows", "greens", "cyans", "blues", "violets", "reds", "reds",
    ]  # fmt: skip


def test_index_entries_of_vanished_files_are_dropped(shelf):
    for entry in shelf.entries:
        shelf.decide(entry, notes="kept")
    shelf.entries[0].path.unlink()
    shelf.scan()
    shelf.decide(shelf.entries[0], notes="new")
    assert len(json.loads((shelf.folder / "shelf.json").read_text())) == 1
