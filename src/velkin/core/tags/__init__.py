"""What a file says of its colour."""
