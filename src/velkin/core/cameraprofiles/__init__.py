"""Camera profiles: the camera's built-in one, fitting from chart readings, and Velkin's own lossless file."""
