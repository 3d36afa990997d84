"""What the command line says of itself, and what it makes of words that are no verb."""

import json
import re
import subprocess
import sys

import pytest

from velkin.cli import main
from velkin.cli.display import why_no_display
from velkin.cli.parser import VERBS, build


def said_by(*words, **variables):
    """Exit status and standard error of the command, in a process of its own with no display but for `variables`."""
    import os

    bare = {k: v for k, v in os.environ.items() if k not in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")}
    done = subprocess.run([sys.executable, "-m", "velkin", *words], capture_output=True, text=True, env=bare | variables)
    return done.returncode, done.stderr


def test_help_names_the_window_and_every_verb(capsys):
    with pytest.raises(SystemExit) as end:
        main(["--help"])
    text = capsys.readouterr().out
    assert end.value.code == 0
    for words in ("velkin SHOOT", "velkin --demo", "window opens", *VERBS):
        assert words in text


@pytest.mark.parametrize("verb", VERBS)
def test_every_option_of_every_verb_says_what_it_takes(verb, capsys):
    with pytest.raises(SystemExit):
        main([verb, "--help"])
    text = capsys.readouterr().out
    assert text.startswith(f"usage: velkin {verb} ")
    choices = next(a for a in build()._actions if a.dest == "verb").choices[verb]._actions
    assert [a.dest for a in choices if not a.help] == []
    for term, meaning in (("SPACE", "SPACE is srgb,"), ("LIGHT", "LIGHT is auto"), ("CHART", "CHART is iso24")):
        if re.search(rf"--[a-z-]+ {term}\b", text):
            assert meaning in text


def test_no_display_is_said_in_one_sentence():
    status, text = said_by()
    assert status == 1
    assert text == (
        "velkin: there is no display to open a window on (DISPLAY and WAYLAND_DISPLAY are not set); "
        "the verbs of the command line need none (velkin --help)\n"
    )
    status, text = said_by(DISPLAY=":6553")
    assert status == 1
    assert text.startswith("velkin: the display :6553 does not answer") and text.count("\n") == 1


def test_a_wayland_display_that_answers_is_one(tmp_path):
    import socket

    with socket.socket(socket.AF_UNIX) as server:
        server.bind(str(tmp_path / "wayland-0"))
        server.listen()
        here = {"WAYLAND_DISPLAY": "wayland-0", "XDG_RUNTIME_DIR": str(tmp_path)}
        assert why_no_display(here) == ""
    assert why_no_display(here | {"WAYLAND_DISPLAY": "wayland-1"}) != ""
    assert why_no_display({"QT_QPA_PLATFORM": "offscreen"}) == ""


def test_a_mistyped_verb_is_called_that():
    for words in (("inspet",), ("inspet", "a.tif", "--json")):
        status, text = said_by(*words)
        assert status == 2
        assert text == "velkin: there is no verb 'inspet', and no shoot of that name; did you mean inspect?\n"
    status, text = said_by("qqq")
    assert status == 2
    assert "there are inspect, chart," in text


def test_ids_are_taken_in_any_case(capsys, tmp_path):
    import numpy as np
    import tifffile

    tifffile.imwrite(tmp_path / "a.tif", np.zeros((4, 5, 3), np.uint8), photometric="rgb")
    out = tmp_path / "b.tif"
    assert main(["assign", str(tmp_path / "a.tif"), "--space", "sRGB", "--out", str(out), "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["space"] == "srgb"
    assert main(["convert", str(out), "--to", "ROMM", "--out", str(tmp_path / "c.tif"), "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["space"] == "romm"
    assert main(["chart", str(out), "--chart", "ISO24", "--json"]) == 1
    assert json.loads(capsys.readouterr().out)["found"] is False
