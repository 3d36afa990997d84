"""What a screen reader gets: a client of AT-SPI walks the program, which runs by itself under a virtual X server and a session bus."""

import os
import shutil
import subprocess
import sys
import time
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import pytest
from jeepney import DBusAddress, new_method_call
from jeepney.io.blocking import DBusConnection, open_dbus_connection
from PyQt6.QtWidgets import QButtonGroup

from velkin.app.widgets.checkable import CheckBox, RadioButton, ToggleButton

ROOT = Path(__file__).parents[2]
#: Bits of AtspiStateType.
FOCUSABLE, SELECTED, SHOWING = 11, 23, 25
_REGISTRY = ("org.a11y.atspi.Registry", "/org/a11y/atspi/accessible/root")


@dataclass(frozen=True)
class Item:
    """An accessible object as the client sees it."""

    bus: DBusConnection
    name_on_bus: str
    path: str

    def ask(self, interface: str, method: str, signature: str | None = None, *body: object) -> tuple:
        address = DBusAddress(self.path, self.name_on_bus, f"org.a11y.atspi.{interface}")
        reply = self.bus.send_and_get_reply(new_method_call(address, method, signature, body), timeout=60)
        assert reply.header.message_type.name == "method_return", (method, reply.body)
        return reply.body

    def _get(self, name: str) -> str:
        address = DBusAddress(self.path, self.name_on_bus, "org.freedesktop.DBus.Properties")
        message = new_method_call(address, "Get", "ss", ("org.a11y.atspi.Accessible", name))
        return self.bus.send_and_get_reply(message, timeout=60).body[0][1]

    @property
    def name(self) -> str:
        return self._get("Name")

    @property
    def description(self) -> str:
        return self._get("Description")

    @property
    def role(self) -> str:
        return self.ask("Accessible", "GetRoleName")[0]

    def states(self) -> set[int]:
        low, high = self.ask("Accessible", "GetState")[0]
        return {bit for bit in range(64) if (low | high << 32) >> bit & 1}

    def children(self) -> list["Item"]:
        return [Item(self.bus, *child) for child in self.ask("Accessible", "GetChildren")[0]]

    def walk(self) -> Iterator["Item"]:
        yield self
        for child in self.children():
            yield from child.walk()

    def find(self, role: str, begins: str) -> "Item":
        return next(i for i in self.walk() if i.role == role and i.name.startswith(begins))


def wait_for(what):
    """Ask again until something comes of it; a window is still filled while a client walks it."""
    end = time.monotonic() + 90
    while True:
        try:
            found = what()
        except (StopIteration, AssertionError):
            found = None
        if found:
            return found
        assert time.monotonic() < end, "it did not come"
        time.sleep(0.1)


@pytest.fixture
def program(demo_shoot, tmp_path, tmp_path_factory):
    if shutil.which("dbus-daemon") is None or shutil.which("Xvfb") is None:
        pytest.skip("there is no message bus, or no virtual screen")
    run = tmp_path_factory.mktemp("run")
    run.chmod(0o700)
    bus = subprocess.Popen(
        ["dbus-daemon", "--session", "--nofork", "--print-address=1"],
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        text=True,
        env={**os.environ, "XDG_RUNTIME_DIR": str(run)},
    )
    address = bus.stdout.readline().strip()
    environment = {k: v for k, v in os.environ.items() if k not in ("QT_QPA_PLATFORM", "DISPLAY")}
    environment |= {
        "DBUS_SESSION_BUS_ADDRESS": address,
        "XDG_RUNTIME_DIR": str(run),
        "QT_LINUX_ACCESSIBILITY_ALWAYS_ON": "1",
        "XDG_CONFIG_HOME": str(tmp_path / "config"),
    }
    screen = [sys.executable, str(ROOT / "tools" / "virtual_screen.py")]
    window = subprocess.Popen(
        [*screen, sys.executable, "-c", "from velkin.cli import main; main()", str(demo_shoot)], env=environment
    )
    session = open_dbus_connection(address)
    launcher = DBusAddress("/org/a11y/bus", "org.a11y.Bus", "org.a11y.Bus")
    client = open_dbus_connection(session.send_and_get_reply(new_method_call(launcher, "GetAddress"), timeout=60).body[0])
    try:
        yield wait_for(Item(client, *_REGISTRY).children)[0]
    finally:
        window.terminate()
        window.wait(60)
        client.close()
        session.close()
        bus.terminate()
        bus.wait(60)


def test_a_client_walks_the_window_chooses_a_frame_and_opens_a_stop(program):
    frames = wait_for(lambda: program.find("list", "Frames by light"))
    names = wait_for(lambda: [i.name for i in frames.children() if i.role == "list item"])
    assert "north-0412, raw, in North window" in names
    light = next(n for n in names if n.startswith("North window"))
    assert light == "North window, 6 frames, no profile yet"
    # choosing by the client's own means shows the frame
    number = names.index("north-0412, raw, in North window")
    assert frames.ask("Selection", "SelectChild", "i", number) == (True,)
    wait_for(lambda: program.find("filler", "Picture of north-0412"))
    assert SELECTED in frames.children()[number].states()
    picture = program.find("filler", "Picture of north-0412")
    assert picture.description.startswith("north-0412")
    # a stop is opened by its action
    stop = program.find("check box", "Proof: ")
    actions = stop.ask("Action", "GetActions")[0]
    stop.ask("Action", "DoAction", "i", next(n for n, a in enumerate(actions) if a[0] in ("Toggle", "Press")))
    wait_for(lambda: SHOWING in program.find("filler", "Proof bench").states())
    ticks = program.find("check box", "Mark out of gamut")
    ticks.ask("Action", "DoAction", "i", 0)
    wait_for(lambda: "hatched" in program.find("filler", "Picture of north-0412").description)
    # everything that can have the keys and is seen says what it is
    nameless = [
        (i.role, i.path) for i in program.walk() if {FOCUSABLE, SHOWING} <= i.states() and not i.name and i.role != "menu bar"
    ]
    assert nameless == []


def test_what_a_client_toggles_acts_as_if_clicked(qapp):
    """A client's action is `QAbstractButton.toggle`; what the program sets itself stays silent."""
    group = QButtonGroup()
    group.setExclusive(True)
    told = []
    buttons = [RadioButton("first"), RadioButton("second"), ToggleButton("third")]
    for number, button in enumerate(buttons):
        group.addButton(button, number)
    group.idClicked.connect(told.append)
    buttons[0].setChecked(True)
    assert told == []
    buttons[1].toggle()
    buttons[2].toggle()
    buttons[2].setChecked(True)
    assert told == [1, 2]
    buttons[0].click()
    assert told == [1, 2, 0]
    tick = CheckBox("tick")
    tick.clicked.connect(told.append)
    tick.toggle()
    tick.toggle()
    tick.setChecked(True)
    tick.click()
    assert told[3:] == [True, False, False]
