"""Stand-in screens: a narrow laptop and a wide desktop, as the ICC display profiles that a calibration would leave behind."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

from velkin.core.files.safely import write_whole
from velkin.core.icc.write import matrix_profile
from velkin.core.spaces.rgb import RGBSpace
from velkin.core.spaces.transfer import Transfer

#: A laptop of the cheaper kind: about 60 % of sRGB, a bluish white, a plain power curve.
LAPTOP = RGBSpace(
    "screen-laptop",
    "Narrow laptop (simulated)",
    "",
    ((0.590, 0.350), (0.330, 0.555), (0.153, 0.119)),
    (0.3050, 0.3210),
    Transfer(2.2),
)
#: A desktop screen with red and green beyond sRGB's.
DESKTOP = RGBSpace(
    "screen-desktop",
    "Wide desktop (simulated)",
    "",
    ((0.684, 0.309), (0.214, 0.708), (0.151, 0.052)),
    (0.3127, 0.3290),
    Transfer(2.2),
)
SCREENS = {"laptop": LAPTOP, "desktop": DESKTOP}


def write(folder: Path) -> list[Path]:
    """Both profiles as files; those that are there already stay."""
    folder.mkdir(parents=True, exist_ok=True)
    found = []
    for name, space in SCREENS.items():
        path = folder / f"{space.name}.icc"
        if not path.exists():
            write_whole(path, screen_profile(name), False)
        found.append(path)
    return found


@lru_cache(maxsize=2)
def screen_profile(name: str) -> bytes:
    """The display profile of ``laptop`` or ``desktop``."""
    return matrix_profile(SCREENS[name], 4)
