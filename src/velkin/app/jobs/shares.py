"""About how much of a frame is out of gamut at the end of a path, from its small picture."""

from __future__ import annotations

from velkin.app.flow.service import RenderService
from velkin.core.errors import VelkinError
from velkin.core.path import ColourPath
from velkin.core.shoot.frame import Frame


def share_outside(sources: RenderService, frame: Frame, path: ColourPath) -> float | None:
    """The share 0..1 of a frame's pixels that the path's destination cannot hold; None where it cannot be read. For workers."""
    from velkin.core.gamut.membership import count_outside
    from velkin.core.render import eased, to_working

    try:
        small = sources.small(frame, path)
        return count_outside(eased(to_working(small, path), path), path.proof).share
    except VelkinError:
        return None
