"""The parts of set-up: system packages, Python packages, and how both are told."""
