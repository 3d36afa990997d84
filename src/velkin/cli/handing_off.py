"""`velkin handoff`: writing and checking a shoot's destination."""

from __future__ import annotations

import argparse
from dataclasses import replace

from velkin.cli.saying import print_json, say
from velkin.core.errors import NotSupported


def hand_off(arguments: argparse.Namespace) -> int:
    """Run the verb; the exit status."""
    from velkin.core.handoff.jobs import jobs_for, record, unsettled
    from velkin.core.handoff.run import run
    from velkin.core.shoot.shoot import Shoot

    shoot = Shoot.open(arguments.shoot)
    try:
        state = shoot.state
        destination = next((d for d in state.destinations if arguments.to in (d.id, d.name)), None)
        if destination is None:
            known = ", ".join(f"{d.id} ({d.name})" for d in state.destinations)
            raise NotSupported(f"the shoot has no destination {arguments.to!r}; it has {known}", arguments.shoot)
        if arguments.out is not None:
            destination = replace(destination, folder=str(arguments.out.absolute()))
        jobs = jobs_for(shoot, state.order(), (destination,), number_taken=False)
        for frame in unsettled(shoot, state.order()):
            say(f"{state.frames[frame].path.name}: left out, nothing says what its numbers mean; decide on it in the window")
        results = []
        for number, done in enumerate(run(jobs, arguments.replace), start=1):
            say(f"{number} of {len(jobs)}: {done.job.out.name}: {done.finding}")
            record(shoot, done)
            results.append(done)
    finally:
        shoot.close()
    results.sort(key=lambda d: jobs.index(d.job))
    failed = [d for d in results if not d.ok]
    if arguments.json:
        written = [
            {
                "path": str(d.job.out),
                "space": destination.space.id,
                "check": "ok" if d.ok else "failed",
                "reason": "" if d.ok else d.finding,
                "frame": d.job.name,
            }
            for d in results
        ]
        print_json({"written": written, "destination": destination.name, "failed": len(failed)})
    else:
        print(
            f"{len(results) - len(failed)} of {len(jobs)} files written to {shoot.folder_of(destination)}, tag and colours checked"
        )
    return 1 if failed else 0
