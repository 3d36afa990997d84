"""Layered pictures (OpenRaster, freedesktop.org): their stacks, and merging them."""
