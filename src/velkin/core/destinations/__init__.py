"""Where files go and how they are written: destinations, the starters that ship, sizes and names."""
