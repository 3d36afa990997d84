"""The model: the open shoot, what is selected, what is shown; it says what changed, and knows nobody who listens."""
