"""Match: from any evidence of what colours should be, to colours that are (COLOUR.md section 7)."""
