"""Files in and out: raw frames and finished pictures, their facts, and safe writing."""
