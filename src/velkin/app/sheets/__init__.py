"""Sheets: dialogs that ask for one thing and leave it, or say something."""
