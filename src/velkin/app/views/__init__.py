"""What is looked at in the window, each knowing only its data: viewer, path bar, frames, scope, plots."""
