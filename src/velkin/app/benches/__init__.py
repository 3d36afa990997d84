"""The benches: the controls of one stop each, ending with what will happen in one sentence and the main action."""
