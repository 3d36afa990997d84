"""`velkin handoff`: writing and checking a shoot's destinations, as the window does it."""

from __future__ import annotations

import argparse
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from velkin.cli.saying import Wrong, print_json, say
from velkin.core.errors import NotSupported, ShootError

if TYPE_CHECKING:
    from velkin.core.destinations.destination import Destination
    from velkin.core.handoff.jobs import Job
    from velkin.core.handoff.run import Done
    from velkin.core.shoot.shoot import Shoot


def hand_off(arguments: argparse.Namespace) -> int:
    """Run the verb; the exit status."""
    from velkin.core.shoot.hold import Hold
    from velkin.core.shoot.shoot import Shoot

    if not arguments.to and not arguments.resume:
        raise Wrong("say which destination with --to, or go on with an interrupted hand-off with --resume")
    if arguments.receipt is not None and arguments.receipt.suffix.lower() not in (".html", ".pdf"):
        raise Wrong("a receipt is written as .html or .pdf")
    shoot = Shoot.open(arguments.shoot)
    hold = Hold.take(shoot.path)
    try:
        if hold is None:
            if arguments.resume or arguments.receipt is not None:
                raise ShootError(
                    "it is open elsewhere; --resume and --receipt need it alone, so close it there first", shoot.path
                )
            shoot.allow_looking_only("it is open elsewhere")
            say(f"{shoot.path.name} is open elsewhere: the files are written and checked, and the shoot does not note them")
        return _go_on(shoot, arguments) if arguments.resume else _begin(shoot, arguments)
    finally:
        shoot.close()
        if hold is not None:
            hold.end()


def _begin(shoot: Shoot, arguments: argparse.Namespace) -> int:
    from velkin.core.destinations.destination import REPLACE
    from velkin.core.handoff.jobs import plan_for
    from velkin.core.handoff.preflight import REPLACES, SKIPS, concerns_of

    state = shoot.state
    wanted = list(dict.fromkeys(_destination(shoot, name) for name in arguments.to))
    if arguments.out is not None:
        wanted = [replace(d, folder=str(arguments.out.absolute())) for d in wanted]
    frames = _frames(shoot, arguments.frames)
    how = REPLACE if arguments.replace else arguments.existing
    plan = plan_for(shoot, frames, wanted, existing=how, changed_too=arguments.changed_too)
    for concern in concerns_of(state, plan, changed_too=arguments.changed_too, hashed=False):
        if concern.kind not in (REPLACES, SKIPS):
            say(f"{concern.what} {concern.then}")
    left = [{"frame": state.frames[x.frame].name, "destination": x.destination.id, "reason": x.why} for x in plan.left]
    for x in plan.left:
        say(f"{state.frames[x.frame].path.name}: left out, {x.why}")
    return _carry_out(shoot, list(plan.jobs), left, arguments, [d.name for d in wanted])


def _go_on(shoot: Shoot, arguments: argparse.Namespace) -> int:
    from velkin.core.handoff.journal import close_account, jobs_left

    run = shoot.handoffs.interrupted()
    if run is None:
        say("there is no interrupted hand-off in this shoot")
        if arguments.json:
            print_json({"written": [], "left": [], "failed": 0, "finished_before": 0})
        return 0
    jobs, finished = jobs_left(shoot.state, run)
    close_account(shoot.path, run, finished)
    say(f"going on with the hand-off of {run.begun}: {len(finished)} of {len(run.files)} files are there, {len(jobs)} to write")
    names = {d.id: d.name for d in shoot.state.destinations}
    which = list(dict.fromkeys(names.get(f.destination, f.destination) for f in run.files))
    return _carry_out(shoot, jobs, [], arguments, which, len(finished))


def _destination(shoot: Shoot, name: str) -> Destination:
    from velkin.core.destinations.starters import STARTERS

    own = shoot.state.destinations
    found = next((d for d in (*own, *STARTERS.values()) if name in (d.id, d.name)), None)
    if found is None:
        there = {d.id for d in own}
        known = ", ".join(f"{d.id} ({d.name})" for d in (*own, *(d for d in STARTERS.values() if d.id not in there)))
        raise NotSupported(f"there is no destination {name!r}; there are {known}", shoot.path)
    return found


def _frames(shoot: Shoot, names: list[str] | None) -> list[int]:
    state = shoot.state
    if not names:
        return state.subjects()
    unknown = [n for n in names if n not in {f.name for f in state.frames.values()}]
    if unknown:
        raise NotSupported(f"the shoot has no frame {unknown[0]!r}", shoot.path)
    return [f for f in state.order() if state.frames[f].name in names]


def _carry_out(
    shoot: Shoot, jobs: list[Job], left: list[dict[str, Any]], arguments: argparse.Namespace, names: list[str], before: int = 0
) -> int:
    from velkin.core.handoff.journal import Journal
    from velkin.core.handoff.run import run

    results: list[Done] = []
    number = 0
    if jobs:
        journal = None if shoot.look_only else Journal.begin(shoot.path, jobs)
        try:
            for number, done in enumerate(run(jobs, journal=journal, at_once=arguments.jobs), start=1):
                say(f"{number} of {len(jobs)}: {done.job.out.name}: {done.finding}")
                results.append(done)
        finally:
            if journal is not None:
                journal.end(number < len(jobs))
        if journal is not None and journal.trouble:
            say(journal.trouble)
        if journal is not None and arguments.receipt is not None:
            _receipt(shoot, journal.run, arguments.receipt, arguments.replace)
    place = {id(j): n for n, j in enumerate(jobs)}
    results.sort(key=lambda d: place[id(d.job)])
    failed = [d for d in results if not d.ok]
    if arguments.json:
        document = {
            "written": [_row(d) for d in results],
            "left": left,
            "destination": ", ".join(names),
            "failed": len(failed),
            "finished_before": before,
        }
        print_json(document)
    else:
        folders = ", ".join(dict.fromkeys(str(d.job.out.parent) for d in results)) or "nowhere"
        print(f"{len(results) - len(failed)} of {len(jobs)} files written to {folders}, tag and colours checked")
    return 1 if failed else 0


def _row(done: Done) -> dict[str, Any]:
    from velkin.core.icc.space import family

    job, w = done.job, done.written
    space = job.path.destination
    row: dict[str, Any] = {
        "path": str(job.out if w is None else w.out),
        "space": family(space) or space.name,
        "check": "ok" if done.ok else "failed",
        "reason": "" if done.ok else done.finding,
        "frame": job.name,
        "destination": job.destination.id,
    }
    if w is not None:
        row |= {"width": w.size[0], "height": w.size[1], "bytes": w.bytes, "outside": w.after}
    return row


def _receipt(shoot: Shoot, run: int, out: Path, replace_old: bool) -> None:
    from velkin.core.files.safely import write_whole
    from velkin.core.handoff.receipt import receipt_of, with_pictures
    from velkin.core.handoff.receipt_page import as_html
    from velkin.core.handoff.receipt_paper import as_pdf

    receipt = with_pictures(receipt_of(shoot, run))
    write_whole(out, as_pdf(receipt) if out.suffix.lower() == ".pdf" else as_html(receipt).encode(), replace_old)
    say(f"receipt written: {out}")
