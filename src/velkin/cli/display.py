"""Whether there is a display to open the window on, asked before Qt, which ends the program where there is none."""

from __future__ import annotations

import ctypes
import os
import socket
from collections.abc import Mapping
from pathlib import Path


def why_no_display(environment: Mapping[str, str]) -> str:
    """Why the window cannot open with these environment variables; an empty text where it can.

    A platform of Qt chosen by hand (``QT_QPA_PLATFORM``) is left to Qt, but for ``xcb``, which is asked as any display is.
    """
    platform = environment.get("QT_QPA_PLATFORM", "").split(";")[0].split(":")[0]
    if platform not in ("", "xcb"):
        return ""
    if platform == "" and _wayland_answers(environment):
        return ""
    display = environment.get("DISPLAY", "")
    if not display:
        return "there is no display to open a window on (DISPLAY and WAYLAND_DISPLAY are not set)"
    return "" if _x_answers(display) else f"the display {display} does not answer, so that no window can open"


def _wayland_answers(environment: Mapping[str, str]) -> bool:
    """Whether a Wayland compositor listens (wayland-client's rules for WAYLAND_DISPLAY)."""
    name = environment.get("WAYLAND_DISPLAY", "")
    if not name:
        return False
    path = Path(environment.get("XDG_RUNTIME_DIR", "")) / name
    with socket.socket(socket.AF_UNIX) as door:
        try:
            door.connect(os.fspath(path))
        except OSError:
            return False
    return True


def _x_answers(display: str) -> bool:
    """Whether an X server lets this user in, by the library that Qt asks too; True where that cannot be asked."""
    try:
        xcb = ctypes.CDLL("libxcb.so.1")
    except OSError:
        return True
    xcb.xcb_connect.restype = ctypes.c_void_p
    xcb.xcb_connect.argtypes = [ctypes.c_char_p, ctypes.c_void_p]
    xcb.xcb_connection_has_error.argtypes = [ctypes.c_void_p]
    xcb.xcb_disconnect.argtypes = [ctypes.c_void_p]
    connection = xcb.xcb_connect(display.encode(), None)
    failed = xcb.xcb_connection_has_error(connection)
    xcb.xcb_disconnect(connection)
    return not failed
