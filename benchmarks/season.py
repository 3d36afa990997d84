"""A season in one shoot: ten thousand frames of forty lights, all of them written; what opening, stepping, searching and deciding take, and how
that grows with the number of frames.
"""

from __future__ import annotations

import statistics
from pathlib import Path

from figures import Report, at_most
from under_the_hand import HEAD, large_shoot, last_line

_SEASON = (
    HEAD
    + """
import json, resource
from velkin.app.widgets.frames_model import Filter
def resident():
    return int(Path("/proc/self/statm").read_text().split()[1]) * resource.getpagesize() / 1e6
def took(work):
    begun = time.perf_counter()
    work()
    app.processEvents()
    return 1000 * (time.perf_counter() - begun)
look_ahead(window)
until(lambda: window.navigator.all_made)
empty = resident()
opened = took(lambda: (window.jobs.shoots.open(folder / sys.argv[2]), until(lambda: window.model.shoot is not None)))
until(lambda: window.flow.measured is not None and window.flow.measured.exact)
steps = sorted(took(lambda: window.model.step(1)) for _ in range(40))
box, filters = window.frames.filter, {}
def chosen(wish):
    box.setCurrentIndex(box.findData(wish))
for wish in list(Filter)[1:]:
    first = took(lambda: chosen(wish))
    chosen(Filter.ALL)
    filters[wish.value] = first, took(lambda: chosen(wish))
    chosen(Filter.ALL)
light = window.model.state.lights[0].frames
values = iter(range(1, 100))
given = sorted(took(lambda: window.jobs.command(lambda s: s.camera.set_exposure(list(light), next(values) / 100))) for _ in range(5))
one = sorted(took(lambda: window.jobs.command(lambda s: s.camera.set_exposure([light[0]], next(values) / 100))) for _ in range(9))
undone = sorted(took(window.model.undo) for _ in range(5))
print(json.dumps([opened, steps[20], steps[-3], filters, len(light), given[2], one[4], undone[2], empty, resident()]))
leave(window)
"""
)
#: How many frames, the middle one being the season that the aims are for.
_SIZES = (1_000, 10_000, 50_000)


def bench_season(report: Report, folder: Path) -> None:
    """The window on shoots of three sizes."""
    import json

    rows = {}
    for size in _SIZES:
        large_shoot(folder, f"{size}.velkin", size, written=True, lights=40)
        rows[size] = json.loads(last_line(_SEASON, str(folder), f"{size}.velkin"))
    opened, step, high, filters, members, given, one, undone, empty, whole = rows[10_000]
    first, second = (max(filters, key=lambda f: float(filters[f][n])) for n in (0, 1))
    report.line("10,000 frames, opened", f"{opened / 1000:.2f} s", at_most(opened / 1000, 2, "s"))
    report.line("  a step to the next frame", f"{step:.0f} ms, high {high:.0f}", "on the GUI thread", at_most(step, 30, "ms"))
    report.line(
        "  the slowest filter, the first time", f"{filters[first][0]:.0f} ms", first, at_most(filters[first][0], 500, "ms")
    )
    report.line("  the slowest filter, again", f"{filters[second][1]:.0f} ms", second)
    report.line(f"  a decision about a light of {members}", f"{given:.0f} ms", at_most(given, 500, "ms"))
    report.line("  a decision about one frame, and undone", f"{one:.0f} ms, {undone:.0f} ms")
    report.line("  memory", f"{whole:.0f} MB", f"the empty window {empty:.0f} MB", at_most(whole, 600, "MB"))
    for name, index in (
        ("opening", 0),
        ("a step", 1),
        ("a decision about one frame", 6),
        ("memory beyond the empty window", 9),
    ):
        values = [rows[s][index] - (rows[s][8] if index == 9 else 0) for s in _SIZES]
        unit = "MB" if index == 9 else "ms"
        report.line(f"growth of {name}", " / ".join(f"{v:.0f}" for v in values) + f" {unit}", "1,000 / 10,000 / 50,000 frames")
    assert statistics.median(_SIZES) == 10_000
