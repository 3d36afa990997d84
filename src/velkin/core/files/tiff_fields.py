"""Numbers of the fields of a TIFF directory that tell how a picture lies in the file and what it means (TIFF 6.0, and those registered since)."""

from __future__ import annotations

SUBFILE = 254
WIDTH, HEIGHT = 256, 257
BITS = 258
COMPRESSION = 259
PHOTOMETRIC = 262
FILL_ORDER = 266
STRIPS, STRIP_BYTES = 273, 279
SAMPLES = 277
PLANAR = 284
FREE, FREE_BYTES = 288, 289
PREDICTOR = 317
COLOUR_MAP = 320
TILES, TILE_BYTES = 324, 325
EXTRA = 338
FORMAT = 339
JPEG_AT, JPEG_BYTES = 513, 514
XMP = 700
IPTC = 33723
RESOURCES = 34377
ICC = 34675
LAYERS = 37724
