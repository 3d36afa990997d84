"""`velkin support`: how much of a raw file no patch of its light's charts vouches for."""

from __future__ import annotations

import argparse
from typing import Any

from velkin.cli.charts import read_chart
from velkin.cli.fields import evened_by, evened_chart
from velkin.cli.saying import print_json
from velkin.core.errors import NotSupported


def support(arguments: argparse.Namespace) -> int:
    """Run the verb; the exit status."""
    import numpy as np

    from velkin.core.charts.support import EDGE, missing_in, support_of
    from velkin.core.files import raw
    from velkin.core.files.raw_names import is_raw_name
    from velkin.core.sampling import at_most
    from velkin.core.spaces.lab import xyz_to_lab
    from velkin.core.stages.camera import built_in_stage
    from velkin.core.stages.stage import Flow

    if not is_raw_name(arguments.file):
        raise NotSupported("support is told of raw files, by a chart of the same camera and light", arguments.file)
    facts = raw.read_facts(arguments.file)
    read = []
    for path in arguments.charts:
        kept = read_chart(path, arguments.chart, arguments.grid)
        read.append(evened_chart(kept, raw.read_facts(path), arguments.flat))
    found = support_of((kept.for_fit(), kept.chart) for kept in read)
    camera = at_most(raw.decode(arguments.file, True), (EDGE, EDGE))
    if arguments.flat is not None:
        camera = evened_by(arguments.flat, facts).apply(Flow(camera)).pixels
    far = found.beyond(camera)
    stage = built_in_stage(facts)
    missing: list[dict[str, Any]] = []
    for each in missing_in(camera.reshape(-1, 3), far.ravel()):
        lab = xyz_to_lab(stage.xyz(np.array(each.rgb)))
        missing.append({"lab": [float(v) for v in lab], "rgb": list(each.rgb), "share": each.share})
    share = float((far > 0).mean())
    if arguments.json:
        print_json(
            {"path": str(arguments.file), "charts": [str(p) for p in arguments.charts], "share": share, "missing": missing}
        )
        return 0
    print(f"{100 * share:.1f} % of {arguments.file.name} is vouched for by no patch")
    for m in missing:
        print(f"  Lab {m['lab'][0]:.0f} {m['lab'][1]:.0f} {m['lab'][2]:.0f}: {100 * m['share']:.1f} %")
    return 0
