"""Runs a command on a virtual screen of its own, 1280 x 800 or as VELKIN_SCREEN says, and ends with the command's status.

The server picks a display number that is free (other virtual screens may run) and is ended with the command. Where no server can
run, the command gets Qt's own drawing without a screen, and that is said.
"""

from __future__ import annotations

import os
import select
import shutil
import signal
import subprocess
import sys


def main(command: list[str]) -> int:
    """Run the command; its exit status."""
    environment = dict(os.environ)
    server, display = (None, "") if "QT_QPA_PLATFORM" in environment else _server(environment.get("VELKIN_SCREEN", "1280x800"))
    if display:
        environment |= {"DISPLAY": display, "QT_QPA_PLATFORM": "xcb"}
        environment.pop("WAYLAND_DISPLAY", None)
    else:
        environment.setdefault("QT_QPA_PLATFORM", "offscreen")
    child = None
    try:
        child = subprocess.Popen(command, env=environment)
        for number in (signal.SIGTERM, signal.SIGHUP):
            signal.signal(number, lambda got, _: child.send_signal(got))
        return child.wait()
    except KeyboardInterrupt:
        return child.wait() if child is not None else 130
    finally:
        if server is not None:
            server.terminate()
            server.wait()


def _server(size: str) -> tuple[subprocess.Popen[bytes] | None, str]:
    """A virtual X server and the name of its display; None and an empty name where there can be none."""
    if shutil.which("Xvfb") is None:
        return None, ""
    receive, send = os.pipe()
    server = subprocess.Popen(
        ["Xvfb", "-displayfd", str(send), "-screen", "0", f"{size}x24", "-nolisten", "tcp"],
        pass_fds=[send],
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
        start_new_session=True,  # Ctrl+C ends the command first, then the screen
    )
    os.close(send)
    with os.fdopen(receive) as answer:
        ready, _, _ = select.select([answer], [], [], 20)
        number = answer.readline().strip() if ready else ""
    if not number:
        server.kill()
        server.wait()
        print("the virtual screen did not start; Qt draws without one", file=sys.stderr)
        return None, ""
    return server, f":{number}"


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
