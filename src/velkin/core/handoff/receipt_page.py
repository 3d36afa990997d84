"""A receipt as one HTML page that needs nothing else: pictures stand in it, and no script runs."""

from __future__ import annotations

import base64
from datetime import datetime
from html import escape

from velkin.core.handoff.receipt import Line, Receipt, facts_of_line

_STYLE = """
body { font: 14px/1.45 Inter, system-ui, sans-serif; color: #161616; background: #fff; max-width: 960px; margin: 32px auto; padding: 0 24px; }
h1 { font-size: 24px; margin: 0 0 4px; } h2 { font-size: 16px; margin: 32px 0 8px; border-bottom: 1px solid #8e8e8e; padding-bottom: 4px; }
p { margin: 4px 0; } .soft { color: #454545; } .file { display: grid; grid-template-columns: 240px 1fr; gap: 20px; padding: 14px 0;
border-bottom: 1px solid #ddd; break-inside: avoid; } .file img { max-width: 220px; max-height: 220px; display: block; }
.none { width: 220px; height: 120px; background: #eee; display: grid; place-items: center; color: #454545; }
h3 { font-size: 14px; margin: 0 0 4px; overflow-wrap: anywhere; } dl { display: grid; grid-template-columns: 110px 1fr; margin: 0; font-size: 13px; }
dt { color: #454545; } dd { margin: 0; font-variant-numeric: tabular-nums; overflow-wrap: anywhere; }
.failed { font-weight: 700; }
"""


def as_html(receipt: Receipt) -> str:
    """The page."""
    parts = [
        "<!doctype html>",
        '<html lang="en"><head><meta charset="utf-8">',
        f"<title>{escape(receipt.shoot)}: hand-off of {escape(spoken_time(receipt.begun))}</title>",
        '<meta name="viewport" content="width=device-width">',
        f"<style>{_STYLE}</style></head><body>",
        f"<h1>{escape(receipt.shoot)}</h1>",
        f'<p class="soft">Handed off {escape(spoken_time(receipt.begun))} with {escape(receipt.program)}</p>',
        f"<p>{escape(receipt.summary())}</p>",
    ]
    for destination in receipt.destinations():
        parts.append(f"<h2>{escape(destination)}</h2>")
        parts += [_file(line) for line in receipt.lines if line.destination == destination]
    parts.append("</body></html>\n")
    return "\n".join(parts)


def _file(line: Line) -> str:
    picture = '<div class="none">no picture</div>'
    if line.picture:
        data = base64.b64encode(line.picture).decode()
        picture = f'<img alt="{escape(line.frame)}" src="data:image/jpeg;base64,{data}">'
    rows = "".join(f"<dt>{escape(n)}</dt><dd>{escape(v)}</dd>" for n, v in facts_of_line(line) if n != "Destination")
    verdict = "read back and found as meant" if line.ok else "NOT handed off: " + line.finding
    return (
        f'<div class="file"><div>{picture}</div><div><h3>{escape(line.name)}</h3>'
        f'<p class="{"soft" if line.ok else "failed"}">{escape(verdict)}</p><dl>{rows}</dl></div></div>'
    )


def spoken_time(iso: str) -> str:
    """A time in words, as 26 November 2026, 14:05; what is no time stays as it is."""
    try:
        at = datetime.fromisoformat(iso)
    except ValueError:
        return iso
    return f"{at.day} {at:%B %Y, %H:%M}"
