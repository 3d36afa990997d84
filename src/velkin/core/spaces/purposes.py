"""What each built-in RGB space is for, and what it costs to work in it, in plain words; by id."""

from __future__ import annotations

#: What each built-in space is for.
PURPOSES = {
    "srgb": "What screens and the web expect; saturated dyes and sea greens do not fit into it.",
    "oprgb": "Holds more greens and cyans than sRGB; much print and prepress work is exchanged in it.",
    "p3": "What many newer screens show; more reds and greens than sRGB.",
    "romm": "Holds nearly every colour a camera records, so that nothing is lost before a destination is chosen; use 16 bits.",
    "bt2020": "Wider than any screen; for pictures that will be shown in video.",
    "ecirgb": "Made for print: as wide as presses need, with steps of equal lightness.",
    "romm-linear": "The same colours as ROMM RGB in linear numbers; for compositing rather than for looking at.",
}
#: What choosing it costs.
COSTS = {
    "srgb": "Costs: what a print could show beyond a screen is gone for good.",
    "oprgb": "Costs: looks dull wherever tags are ignored.",
    "p3": "Costs: looks a little dull wherever tags are ignored.",
    "romm": "Costs: steps show in 8 bits, and no device shows all of it.",
    "bt2020": "Costs: steps show in 8 bits, and no screen shows all of it.",
    "ecirgb": "Costs: known in print houses, hardly elsewhere.",
    "romm-linear": "Costs: needs 16 bits or float; dark tones have few codes.",
}
