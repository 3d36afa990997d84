"""ICC profiles: writing, reading, recognising, and the one gateway to LittleCMS (transform.py). ICC.1:2022 and ICC.1:2001."""
