"""Python packages from the lock files, with what comes and how much of it told while it comes."""

from __future__ import annotations

import os
import re
import subprocess
import tempfile
from pathlib import Path
from typing import Any

from .telling import Heartbeat, Stop, say, shown

_COLLECTING = re.compile(r"^Collecting ([A-Za-z0-9_.\-]+)==(\S+)")
_LOCAL = re.compile(r"^Processing .*/([A-Za-z0-9_.]+)-([^-/]+)-[^/]+\.whl")
_COMING = re.compile(r"^\s*(Downloading|Using cached) .*\(([\d.]+) (kB|MB|GB|bytes)\)")
_MEGABYTES = {"bytes": 1e-6, "kB": 1e-3, "MB": 1.0, "GB": 1e3}


def required(lock: Path) -> list[str]:
    """The pinned packages of a lock file, as ``name==version``."""
    lines = (line.split("#")[0].strip() for line in lock.read_text(encoding="utf-8").splitlines())
    return [line for line in lines if line]


def install(python: Path, lock: Path, what_for: str, environment: Path) -> None:
    """Install what a lock file pins into a virtual environment; what is there already is left alone. Raises Stop."""
    wanted = required(lock)
    have = subprocess.run([str(python), "-m", "pip", "freeze", "--all"], capture_output=True, text=True).stdout
    there = {_plain(line) for line in have.splitlines()}
    missing = [w for w in wanted if _plain(w) not in there]
    if not missing:
        return
    say(f"{_count(missing)}, {what_for} ({lock.name})")
    with tempfile.TemporaryDirectory(dir=environment, prefix="coming-") as folder:
        _install(python, missing, Path(folder))


def _count(missing: list[str]) -> str:
    return f"{len(missing)} package" + ("s" if len(missing) != 1 else "")


def _plain(requirement: str) -> str:
    return re.sub(r"[-_.]+", "-", requirement.strip()).lower()


def _install(python: Path, missing: list[str], folder: Path) -> None:
    site = next(python.parent.parent.glob("lib/python3*/site-packages"))
    before = _size(site)
    told: dict[str, Any] = {"done": 0, "megabytes": 0.0, "coming": "", "unpacking": 0}

    def beat() -> str:
        if told["unpacking"]:
            return f"unpacking {_count(missing)}: {max(_size(site) - before, 0):.0f} MB so far"
        return f"{told['coming'] or 'asking the package registry'}: {_size(folder):.0f} MB here so far"

    command = [str(python), "-m", "pip", "install", "--no-deps", "--disable-pip-version-check", "--progress-bar", "off"]
    environment = os.environ | {"TMPDIR": str(folder), "PYTHONUNBUFFERED": "1", "PIP_NO_COLOR": "1"}
    said: list[str] = []
    pip = subprocess.Popen(
        [*command, *missing], stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, errors="replace", env=environment
    )
    assert pip.stdout is not None
    with Heartbeat(beat) as heart:
        for line in pip.stdout:
            said.append(line)
            if found := _COLLECTING.match(line) or _LOCAL.match(line):
                told["done"] += 1
                told["coming"] = f"package {told['done']} of {len(missing)}, {found[1]} {found[2]}"
            elif found := _COMING.match(line):
                size = float(found[2]) * _MEGABYTES[found[3]]
                told["megabytes"] += size
                heart.say(f"{told['coming']}: {size:.1f} MB ({told['megabytes']:.0f} MB in all)")
            elif line.startswith("Installing collected packages"):
                told["unpacking"] = 1
                heart.say(f"unpacking {_count(missing)}")
        status = pip.wait()
    if status:
        raise Stop(f"the packages did not all come: {reason(''.join(said))}; run it again and it goes on")


def install_program(python: Path, source: Path, editable: bool) -> None:
    """Put velkin itself into the environment, as a copy or, editable, as it lies in `source`. Raises Stop."""
    command = [
        str(python),
        "-m",
        "pip",
        "install",
        "--quiet",
        "--disable-pip-version-check",
        "--no-deps",
        "--no-build-isolation",
    ]
    done = subprocess.run(
        [*command, *(["-e"] if editable else ["--force-reinstall"]), str(source)], capture_output=True, text=True
    )
    if done.returncode:
        raise Stop(f"velkin itself could not be installed: {reason(done.stdout + done.stderr)}")


def reason(text: str) -> str:
    """What went wrong, in plain words, from what a program printed; else its last line."""
    for sign, words in _REASONS:
        if re.search(sign, text, re.IGNORECASE):
            return words
    lines = [line for line in text.splitlines() if line.startswith("ERROR")]
    return shown(lines[0]) if lines else shown(text)


#: Signs in the output of pip and apt, and what they mean.
_REASONS = (
    (r"No space left on device|Errno 28|have enough free space", "the disk is full"),
    (r"Read-only file system|Errno 30", "the disk can only be read"),
    (
        r"name resolution|NameResolutionError|NewConnectionError|ConnectTimeout|Connection refused|Network is unreachable"
        r"|Could not resolve|Could not connect|Failed to fetch",
        "the package registry cannot be reached (is there a network?)",
    ),
    (
        r"Read timed out|IncompleteRead|Connection broken|Connection reset|RemoteDisconnected|Connection aborted",
        "the connection was cut while a package came",
    ),
    (
        r"No matching distribution|Could not find a version",
        "the registry has no build of a package for this Python and machine",
    ),
    (r"Permission denied|Errno 13", "a folder may not be written to"),
)


def _size(folder: Path) -> float:
    """Megabytes in a folder; what vanishes while it is counted counts as nothing."""
    total = 0
    for root, _, names in os.walk(folder):
        for name in names:
            try:
                total += os.lstat(os.path.join(root, name)).st_size
            except OSError:
                continue
    return total / 1e6
