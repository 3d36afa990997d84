"""Jobs: what changes the shoot or takes time, a module a subject; no widgets."""
