"""Widgets that pages share: viewer, path bar, frames, scope, tables, plots; they know neither jobs nor the window."""
