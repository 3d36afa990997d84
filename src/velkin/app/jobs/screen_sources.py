"""Where a screen's ICC profile is told on Linux: the X11 property that calibration tools set, and the system's colour daemon.

X11: the property ``_ICC_PROFILE`` of the root window for the first monitor, ``_ICC_PROFILE_1`` … for the others (freedesktop.org,
"ICC Profiles in X"). Colour daemon: the D-Bus service ``org.freedesktop.ColorManager``, asked for the display of the monitor's name.
"""

from __future__ import annotations

import ctypes
import os
from collections.abc import Callable
from pathlib import Path
from typing import Any

from velkin.core.icc.read import LARGEST

_SERVICE = "org.freedesktop.ColorManager"
_WAIT_MS = 400
#: Where the system's bus listens (D-Bus specification, "Well-known Message Bus Instances"), unless the environment says otherwise.
_SOCKETS = ("/var/run/dbus/system_bus_socket", "/run/dbus/system_bus_socket")


class XProperties:
    """Properties of the root window of an X display; gives nothing where there is none."""

    def __init__(self) -> None:
        self._lib: Any = None
        self._display: Any = None
        try:
            lib = ctypes.CDLL("libX11.so.6")
        except OSError:
            return
        lib.XOpenDisplay.restype = ctypes.c_void_p
        lib.XOpenDisplay.argtypes = [ctypes.c_char_p]
        lib.XDefaultRootWindow.restype = ctypes.c_ulong
        lib.XDefaultRootWindow.argtypes = [ctypes.c_void_p]
        lib.XInternAtom.restype = ctypes.c_ulong
        lib.XInternAtom.argtypes = [ctypes.c_void_p, ctypes.c_char_p, ctypes.c_int]
        lib.XFree.argtypes = [ctypes.c_void_p]
        lib.XCloseDisplay.argtypes = [ctypes.c_void_p]
        self._display = lib.XOpenDisplay(None)
        self._lib = lib

    def close(self) -> None:
        """Close the connection."""
        if self._display:
            self._lib.XCloseDisplay(self._display)
            self._display = None

    def read(self, name: str) -> bytes:
        """A property's bytes; empty where it is not set, or is larger than any profile."""
        if not self._display:
            return b""
        lib = self._lib
        atom = lib.XInternAtom(self._display, name.encode(), 1)
        if not atom:
            return b""
        kind, form = ctypes.c_ulong(), ctypes.c_int()
        count, after = ctypes.c_ulong(), ctypes.c_ulong()
        data = ctypes.c_void_p()
        status = lib.XGetWindowProperty(
            ctypes.c_void_p(self._display), ctypes.c_ulong(lib.XDefaultRootWindow(self._display)), ctypes.c_ulong(atom),
            ctypes.c_long(0), ctypes.c_long(LARGEST // 4), ctypes.c_int(0), ctypes.c_ulong(0),
            ctypes.byref(kind), ctypes.byref(form), ctypes.byref(count), ctypes.byref(after), ctypes.byref(data),
        )  # fmt: skip
        if status != 0 or not data:
            return b""
        found = ctypes.string_at(data, count.value) if form.value == 8 and not after.value else b""
        lib.XFree(data)
        return found


def property_name(monitor: int) -> str:
    """The property of the monitor of that number."""
    return "_ICC_PROFILE" if monitor == 0 else f"_ICC_PROFILE_{monitor}"


#: Asks the bus: object path, interface, method, arguments → the answer, or None.
Ask = Callable[[str, str, str, tuple[Any, ...]], Any]


def ask_bus(path: str, interface: str, method: str, arguments: tuple[Any, ...]) -> Any:
    """One call of the colour daemon on the system's bus; None where there is no bus or nobody answers in time. For worker threads."""
    if "DBUS_SYSTEM_BUS_ADDRESS" not in os.environ and not any(os.path.exists(place) for place in _SOCKETS):
        return None  # nothing of Qt's own is started for a bus that is not there
    from PyQt6.QtDBus import QDBusConnection, QDBusInterface, QDBusMessage

    bus = QDBusConnection.systemBus()
    if not bus.isConnected():
        return None
    service = QDBusInterface(_SERVICE, path, interface, bus)
    service.setTimeout(_WAIT_MS)
    answer = service.call(method, *arguments)
    if answer.type() != QDBusMessage.MessageType.ReplyMessage or not answer.arguments():
        return None
    return answer.arguments()[0]


def daemon_profile(monitor: str, ask: Ask = ask_bus) -> Path | None:
    """The file of the profile that the colour daemon keeps for a monitor; None where it knows none."""

    def plain(value: Any) -> str:
        return str(value.path() if hasattr(value, "path") else value.variant() if hasattr(value, "variant") else value)

    def property_of(path: str, kind: str, name: str) -> Any:
        found = ask(path, "org.freedesktop.DBus.Properties", "Get", (f"{_SERVICE}.{kind}", name))
        return found.variant() if hasattr(found, "variant") else found

    device = ask("/org/freedesktop/ColorManager", _SERVICE, "FindDeviceByProperty", ("XRANDR_name", monitor))
    if device is None:
        return None
    profiles = property_of(plain(device), "Device", "Profiles")
    if not profiles:
        return None
    file = property_of(plain(profiles[0]), "Profile", "Filename")
    return Path(str(file)) if file else None
