"""The methods of dataclasses, compiled once and kept, as modules are.

Python writes the methods of a dataclass as text and compiles them anew at every start; the window has some two hundred dataclasses, and spends a
tenth of its start on that. Here what a text compiles to is kept beside the program, and taken from there for that very text and that very
Python. A text that is not known is compiled as ever.
"""

from __future__ import annotations

import contextlib
import dataclasses
import marshal
import sys
from pathlib import Path
from typing import Any

_FILE = Path(__file__).parent / "__pycache__" / f"dataclasses.{sys.implementation.cache_tag}.kept"
#: More bytes than this are not kept: what is not used any more goes.
_LARGEST = 4_000_000
_kept: dict[str, bytes] = {}
_used: dict[str, bytes] = {}


def use() -> None:
    """Have dataclasses that are defined from now on take their methods from what is kept."""
    with contextlib.suppress(OSError, ValueError, EOFError, TypeError):
        made_by, found = marshal.loads(_FILE.read_bytes())
        if made_by == sys.version:
            _kept.update(found)
    setattr(dataclasses, "exec", _run)  # noqa: B010  a name of that module, which it looks up before the built-in one


def keep() -> None:
    """Keep what was compiled in this process, where something was; a folder that takes no files costs nothing but time."""
    from velkin.core.disk_cache import put  # this module comes before all others

    if _used.keys() <= _kept.keys():
        return
    together = {**_kept, **_used}
    content = together if sum(map(len, together.values())) < _LARGEST else _used
    if put(_FILE, marshal.dumps((sys.version, content))):
        _kept.update(_used)


def _run(text: str, world: dict[str, Any], names: dict[str, Any]) -> None:
    """What `exec` does."""
    code = _kept.get(text)
    if code is None:
        code = marshal.dumps(compile(text, "<string>", "exec"))
    _used[text] = code
    exec(marshal.loads(code), world, names)
