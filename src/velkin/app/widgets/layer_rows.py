"""What is said of a layer, in one row: name, how it is put on, and whether it computes with what lies below it."""

from __future__ import annotations

from velkin.core.files.layers.stack import LayerFacts


def layer_row(layer: LayerFacts) -> tuple[str, str, str]:
    """A layer's name, indented by its groups, its operator and opacity, and whether it computes with what lies below."""
    how = f"{layer.operator}, {100 * layer.opacity:.0f} %" if layer.opacity < 1 else layer.operator
    if not layer.visible:
        return "   " * layer.depth + layer.name, how, "hidden"
    return "   " * layer.depth + layer.name, how, "with below" if layer.computes else ""
