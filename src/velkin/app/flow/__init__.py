"""Picture flow: from the model's path to what is seen of it: decoding, rendering, measuring, thumbnails; no widgets."""
