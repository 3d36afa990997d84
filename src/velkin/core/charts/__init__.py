"""Charts: what they are (definition), where they are in a frame (find), what the frame says of them (read), whether to
believe it (judge)."""
