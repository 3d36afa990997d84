"""Which process keeps an account, told so that it cannot be taken for a later one with its number."""

from __future__ import annotations

import os
from pathlib import Path


def identity_of(process: int) -> str:
    """Number, start and boot of a process, or an empty text where there is none.

    The start (clock ticks since boot: field 22 of ``/proc/PID/stat``, proc(5)) and the boot's id tell it from another
    process that was given the number of one that is gone; both stand from the first moment of a process.
    """
    try:
        stat = Path(f"/proc/{process}/stat").read_text(errors="replace")
        boot = Path("/proc/sys/kernel/random/boot_id").read_text().strip()
    except OSError:
        return ""
    state, *fields = stat.rpartition(")")[2].split()  # the name before it may hold spaces and brackets
    if state in "ZX":
        return ""  # ended, and only not yet asked for
    return f"{process} {fields[18]} {boot}"


def own_identity() -> str:
    """The identity of this process."""
    return identity_of(os.getpid())


def runs_elsewhere(identity: str) -> bool:
    """Whether that very process still runs and is another than this one."""
    number = identity.partition(" ")[0]
    return number.isdigit() and int(number) != os.getpid() and identity_of(int(number)) == identity
