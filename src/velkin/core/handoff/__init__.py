"""Hand-off: destinations, writing tagged files, and checking each by reading it back."""
