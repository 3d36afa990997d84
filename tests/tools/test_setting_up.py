"""Set-up: what is missing is asked of what was installed, and every way it can fail is told in one plain line."""

import os
import shutil
import subprocess
import sys
from pathlib import Path

import PyQt6
import pytest
from setting_up import libraries, packages, system
from setting_up.telling import Heartbeat, Stop

ROOT = Path(__file__).parent.parent.parent


def test_the_linker_is_asked_what_qt_needs(tmp_path):
    plugin = Path(PyQt6.__file__).parent / "Qt6" / "plugins" / "platforms" / "libqoffscreen.so"
    assert libraries.asked_by_ldd([str(plugin)]) == set()
    alone = tmp_path / plugin.name
    alone.write_bytes(plugin.read_bytes())  # away from Qt's own libraries, which are found beside it
    assert libraries.asked_by_ldd([str(plugin), str(alone)]) >= {"libQt6Core.so.6", "libQt6Gui.so.6"}


def test_nothing_is_missing_on_a_machine_that_runs_the_tests():
    assert libraries.missing_libraries(Path(sys.executable), ROOT / "src" / "velkin") == []


def test_a_library_is_looked_up_under_the_name_that_this_system_has(monkeypatch):
    there = {"libglib2.0-0", "libegl1"}
    monkeypatch.setattr(system, "known", lambda names: next((n for n in names if n in there), None))
    assert libraries.packages_of(["libEGL.so.1", "libglib-2.0.so.0", "libgthread-2.0.so.0"]) == ["libegl1", "libglib2.0-0"]
    there = {"libglib2.0-0t64", "libglib2.0-0"}
    assert libraries.packages_of(["libglib-2.0.so.0"]) == ["libglib2.0-0t64"]
    with pytest.raises(Stop, match=r"libodd.so.3 is missing.*apt-file search libodd.so.3"):
        libraries.packages_of(["libodd.so.3"])


def test_who_may_not_install_is_given_the_command(monkeypatch):
    monkeypatch.setattr(os, "geteuid", lambda: 1000)
    monkeypatch.setattr(system, "_may_without_asking", lambda: False)
    monkeypatch.setattr(sys, "stdin", open(os.devnull))  # noqa: SIM115  no terminal, so sudo cannot ask
    monkeypatch.setattr(shutil, "which", lambda name: f"/usr/bin/{name}")
    with pytest.raises(Stop, match=r"run: sudo apt-get install libegl1 libgl1$"):
        system.install(["libegl1", "libgl1"], "the libraries of Qt")
    monkeypatch.setattr(shutil, "which", lambda name: None)
    with pytest.raises(Stop, match=r"there is no apt-get here"):
        system.install(["libegl1"], "the libraries of Qt")


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("ERROR: Could not install packages due to an OSError: [Errno 28] No space left on device", "the disk is full"),
        ("E: You don't have enough free space in /var/cache/apt/archives/.", "the disk is full"),
        ("NewConnectionError: Failed to establish: [Errno -3] Temporary failure in name resolution", "cannot be reached"),
        ("E: Failed to fetch http://deb/x.deb  Could not resolve 'deb'", "cannot be reached"),
        ("pip._vendor.urllib3.exceptions.ReadTimeoutError: Read timed out.", "the connection was cut"),
        ("ERROR: No matching distribution found for numpy==9", "no build of a package for this Python"),
        ("OSError: [Errno 30] Read-only file system: '/x'", "can only be read"),
        ("one\nERROR: something quite else\nlast", "ERROR: something quite else"),
        ("", "it said nothing"),
    ],
)
def test_why_packages_did_not_come_in_plain_words(text, words):
    assert words in packages.reason(text)


def test_the_lock_is_read_without_its_remarks(tmp_path):
    (tmp_path / "lock").write_text("# remark\nnumpy==2.4.6\n\nPyQt6_sip==13.13.0  # why\n")
    assert packages.required(tmp_path / "lock") == ["numpy==2.4.6", "PyQt6_sip==13.13.0"]


def test_what_is_installed_already_is_not_asked_for(tmp_path, capsys):
    lock = tmp_path / "lock"
    lock.write_text("numpy==" + __import__("numpy").__version__ + "\npyqt6-SIP==13.13.0\n")
    packages.install(Path(sys.executable), lock, "nothing", tmp_path)
    assert capsys.readouterr().out == ""
    lock.write_text("velkin-has-no-such-package==1.0\n")
    with pytest.raises(Stop, match=r"the packages did not all come: .*; run it again and it goes on"):
        packages.install(Path(sys.executable), lock, "a test", tmp_path)
    assert "set-up: 1 package, a test (lock)" in capsys.readouterr().out


def test_silent_work_is_told_now_and_then(capsys):
    import time

    with Heartbeat(lambda: "still at it", 0.6):
        time.sleep(1.4)
    assert capsys.readouterr().out.splitlines()[0] == "set-up: still at it"


def screen(*words, **variables):
    code = "import os; print(os.environ.get('DISPLAY'), os.environ['QT_QPA_PLATFORM'])"
    command = [sys.executable, str(ROOT / "tools" / "virtual_screen.py"), *(words or (sys.executable, "-c", code))]
    bare = {k: v for k, v in os.environ.items() if k not in ("DISPLAY", "QT_QPA_PLATFORM")}
    return subprocess.run(command, capture_output=True, text=True, env=bare | variables)


def test_each_virtual_screen_is_its_own_and_goes_with_its_command():
    inner = [
        sys.executable,
        str(ROOT / "tools" / "virtual_screen.py"),
        sys.executable,
        "-c",
        "import os; print(os.environ['DISPLAY'])",
    ]
    code = f"import os, subprocess; print(os.environ['DISPLAY']); os.environ.pop('QT_QPA_PLATFORM'); subprocess.run({inner!r})"
    done = screen(sys.executable, "-u", "-c", code)
    outer, nested = done.stdout.split()
    assert outer.startswith(":") and nested.startswith(":") and outer != nested
    for number in (outer, nested):
        assert not Path(f"/tmp/.X11-unix/X{number[1:]}").exists()


def test_the_command_ends_as_it_ended_and_needs_no_server():
    assert screen(sys.executable, "-c", "raise SystemExit(7)").returncode == 7
    nowhere = screen(PATH="/nonexistent")
    assert nowhere.stdout.split() == ["None", "offscreen"]
    assert screen(QT_QPA_PLATFORM="minimal").stdout.split() == ["None", "minimal"]


@pytest.mark.parametrize("script", sorted((ROOT / "tools").glob("*.sh")))
def test_the_scripts_are_sound_shell(script):
    assert subprocess.run(["bash", "-n", script]).returncode == 0
