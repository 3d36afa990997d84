"""What colour paths are made of: one module for each kind of stage, and what flows from one to the next."""
