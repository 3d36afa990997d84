"""System libraries: what the installed packages themselves ask for and the system does not have.

Nobody keeps a list of what Qt needs. Its libraries and its platform plugin are asked with ldd, the other packages by importing them;
the only list kept here says which Debian package a library is in, under the names of Debian 12 and 13 and current Ubuntu.
"""

from __future__ import annotations

import re
import subprocess
from pathlib import Path

from . import system
from .telling import Stop, say

#: Library -> Debian package; the names are tried in this order.
PACKAGES: dict[str, tuple[str, ...]] = {
    "libEGL.so.1": ("libegl1",),
    "libGL.so.1": ("libgl1",),
    "libGLX.so.0": ("libglx0",),
    "libOpenGL.so.0": ("libopengl0",),
    "libX11.so.6": ("libx11-6",),
    "libX11-xcb.so.1": ("libx11-xcb1",),
    "libXext.so.6": ("libxext6",),
    "libXrender.so.1": ("libxrender1",),
    "libSM.so.6": ("libsm6",),
    "libICE.so.6": ("libice6",),
    "libdbus-1.so.3": ("libdbus-1-3",),
    "libexpat.so.1": ("libexpat1",),
    "libfontconfig.so.1": ("libfontconfig1",),
    "libfreetype.so.6": ("libfreetype6",),
    "libglib-2.0.so.0": ("libglib2.0-0t64", "libglib2.0-0"),
    "libgthread-2.0.so.0": ("libglib2.0-0t64", "libglib2.0-0"),
    "libgobject-2.0.so.0": ("libglib2.0-0t64", "libglib2.0-0"),
    "libgio-2.0.so.0": ("libglib2.0-0t64", "libglib2.0-0"),
    "libgomp.so.1": ("libgomp1",),
    "libgssapi_krb5.so.2": ("libgssapi-krb5-2",),
    "libstdc++.so.6": ("libstdc++6",),
    "libwayland-client.so.0": ("libwayland-client0",),
    "libwayland-cursor.so.0": ("libwayland-cursor0",),
    "libwayland-egl.so.1": ("libwayland-egl1",),
    "libxcb.so.1": ("libxcb1",),
    "libxcb-cursor.so.0": ("libxcb-cursor0",),
    "libxcb-glx.so.0": ("libxcb-glx0",),
    "libxcb-icccm.so.4": ("libxcb-icccm4",),
    "libxcb-image.so.0": ("libxcb-image0",),
    "libxcb-keysyms.so.1": ("libxcb-keysyms1",),
    "libxcb-randr.so.0": ("libxcb-randr0",),
    "libxcb-render.so.0": ("libxcb-render0",),
    "libxcb-render-util.so.0": ("libxcb-render-util0",),
    "libxcb-shape.so.0": ("libxcb-shape0",),
    "libxcb-shm.so.0": ("libxcb-shm0",),
    "libxcb-sync.so.1": ("libxcb-sync1",),
    "libxcb-util.so.1": ("libxcb-util1",),
    "libxcb-xfixes.so.0": ("libxcb-xfixes0",),
    "libxcb-xinerama.so.0": ("libxcb-xinerama0",),
    "libxcb-xinput.so.0": ("libxcb-xinput0",),
    "libxcb-xkb.so.1": ("libxcb-xkb1",),
    "libxkbcommon.so.0": ("libxkbcommon0",),
    "libxkbcommon-x11.so.0": ("libxkbcommon-x11-0",),
    "libz.so.1": ("zlib1g",),
    "libzstd.so.1": ("libzstd1",),
}

_NOT_FOUND = re.compile(r"^\s*(\S+) => not found", re.MULTILINE)
_NOT_OPENED = re.compile(r"(lib[^\s:/]+\.so[.\d]*): cannot open shared object file")

#: Qt's plugins that Velkin's window stands on; each is asked what it needs when it is there.
_PLUGINS = ("platforms/libqxcb.so", "platforms/libqoffscreen.so", "platforms/libqwayland*.so", "xcbglintegrations/*.so")

#: Packages with libraries of their own, other than Qt; a missing system library shows when they are imported.
_IMPORTS = ("cv2", "exiv2", "imagecodecs", "numba", "PIL.Image", "pillow_jxl", "pylibjxl", "rawpy", "scipy.optimize")


def complete(python: Path, source: Path) -> None:
    """Install the system libraries that are missing, until none is. Raises Stop."""
    for _ in range(4):  # what is installed may need more in turn
        missing = missing_libraries(python, source)
        if not missing:
            return
        say(f"system libraries that the packages ask for: {' '.join(missing)}")
        system.refresh()
        system.install(packages_of(missing), f"the libraries {' '.join(missing)}")
    raise Stop(f"these libraries are still missing after their packages were installed: {' '.join(missing)}")


def packages_of(libraries: list[str]) -> list[str]:
    """The Debian packages that libraries are in. Raises Stop for a library that is not on the list."""
    names: list[str] = []
    for library in libraries:
        if library not in PACKAGES:
            raise Stop(
                f"the system library {library} is missing; install the package that holds it (apt-file search {library})"
            )
        name = system.known(PACKAGES[library]) or PACKAGES[library][0]
        if name not in names:
            names.append(name)
    return names


def missing_libraries(python: Path, source: Path) -> list[str]:
    """Libraries that Qt and the other packages need and the system lacks, in order of name."""
    return sorted(_missing_for_qt(python, source) | _missing_for_imports(python))


def _missing_for_qt(python: Path, source: Path) -> set[str]:
    site = next(python.parent.parent.glob("lib/python3*/site-packages"))
    qt = site / "PyQt6"
    used = {m for file in source.rglob("*.py") for m in re.findall(r"PyQt6\.(Qt\w+)", file.read_text(encoding="utf-8"))}
    files = [f for module in sorted(used) for f in qt.glob(f"{module}.*so")]
    for pattern in _PLUGINS:
        files += sorted((qt / "Qt6" / "plugins").glob(pattern))
    return asked_by_ldd([str(f) for f in files])


def asked_by_ldd(files: list[str]) -> set[str]:
    """Libraries that the dynamic linker does not find for these files; none for no files. Raises Stop without ldd."""
    if not files:
        return set()
    try:
        listed = subprocess.run(["ldd", *files], capture_output=True, text=True, errors="replace")
    except FileNotFoundError as error:
        raise Stop("there is no program ldd here, which tells what Qt needs (Debian's package libc-bin)") from error
    return set(_NOT_FOUND.findall(listed.stdout))


def _missing_for_imports(python: Path) -> set[str]:
    """Libraries that an import of the other packages does not find."""
    loop = "import importlib, sys\nfor name in sys.argv[1:]:\n  try: importlib.import_module(name)\n  except Exception as e: print(e)"
    said = subprocess.run([str(python), "-c", loop, *_IMPORTS], capture_output=True, text=True, errors="replace")
    return set(_NOT_OPENED.findall(said.stdout + said.stderr))
