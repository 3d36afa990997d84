"""The desk: long work for the window, done aside by workers, a module a subject; `Desk` holds them together."""
