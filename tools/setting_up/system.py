"""System packages: by apt where this user may, else named in one line with the command to run."""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
from typing import Any

from .packages import reason
from .telling import Heartbeat, Stop, say


def install(names: list[str], what_for: str) -> None:
    """Install Debian packages. Raises Stop, with the command to run where this user may not."""
    by_hand = "sudo apt-get install " + " ".join(names)
    if shutil.which("apt-get") is None:
        raise Stop(f"{what_for} is missing, and there is no apt-get here; install what Debian calls {', '.join(names)}")
    rights = _rights(by_hand, what_for)
    say(f"system packages, for {what_for}: {' '.join(names)}")
    _run([*rights, "apt-get", "update"], "asking for the list of system packages", by_hand, names)
    _run([*rights, "apt-get", "install", "--yes", "--no-install-recommends", *names], "system packages", by_hand, names)


def known(names: tuple[str, ...]) -> str | None:
    """The first of several names of a package that this system's package lists have."""
    for name in names:
        shown = subprocess.run(["apt-cache", "show", "--no-all-versions", name], capture_output=True, text=True)
        if shown.returncode == 0 and "Package:" in shown.stdout:
            return name
    return None


def refresh() -> None:
    """Ask for the package lists where this user may; without rights those that are there have to do."""
    if shutil.which("apt-get") is not None and (os.geteuid() == 0 or _may_without_asking()):
        rights = [] if os.geteuid() == 0 else ["sudo", "-n"]
        subprocess.run([*rights, "apt-get", "update", "-qq"], capture_output=True)


def _may_without_asking() -> bool:
    return shutil.which("sudo") is not None and subprocess.run(["sudo", "-n", "true"], capture_output=True).returncode == 0


def _rights(by_hand: str, what_for: str) -> list[str]:
    """What to put before a command that needs the administrator; sudo asks for its password where there is a terminal."""
    if os.geteuid() == 0:
        return []
    if _may_without_asking():
        return ["sudo", "-n"]
    if shutil.which("sudo") is not None and sys.stdin.isatty():
        say(f"{what_for} is missing; sudo asks for your password to install it")
        if subprocess.run(["sudo", "-v"]).returncode == 0:
            return ["sudo"]
    raise Stop(f"{what_for} is missing, and this user may not install it; run: {by_hand}")


def _run(command: list[str], doing: str, by_hand: str, names: list[str]) -> None:
    """Run apt-get and tell how far it is, by the lines it prints as packages come and are set up."""
    process = subprocess.Popen(
        [*command, "-o", "Acquire::Retries=2"],
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        text=True,
        errors="replace",
        env=os.environ | {"DEBIAN_FRONTEND": "noninteractive", "LC_ALL": "C.UTF-8"},
    )
    said: list[str] = []
    told: dict[str, Any] = {"words": doing, "come": 0, "set": 0, "all": "?"}
    assert process.stdout is not None
    with Heartbeat(lambda: str(told["words"]), 3.0) as heart:
        for line in process.stdout:
            said.append(line)
            if found := re.search(r"(\d+) newly installed", line):
                told["all"] = found[1]
            elif found := re.match(r"Need to get ([\d.,]+ .?B)", line):
                heart.say(f"system packages: {told['all']} to come, {found[1]}")
            elif (found := re.match(r"Get:\d+ \S+ \S+ \S+ (\S+) .*\[(.*)\]", line)) and "install" in command:
                told["come"] += 1
                told["words"] = f"system package {told['come']} of {told['all']}, {found[1]}, {found[2]}"
            elif found := re.match(r"Setting up (\S+)", line):
                told["set"] += 1
                told["words"] = f"setting up system package {told['set']} of {told['all']}, {found[1].split(':')[0]}"
        status = process.wait()
    if status and "install" in command:
        raise Stop(f"apt could not install {', '.join(names)}: {reason(''.join(said))}; run it again, or by hand: {by_hand}")
