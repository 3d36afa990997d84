"""The window: PyQt6 widgets over velkin.core. Widgets listen to the model (model.py) and never to each other."""
