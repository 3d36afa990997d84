"""Names of files: what a thing's name becomes as one."""

from __future__ import annotations

import re


def file_name(name: str, otherwise: str) -> str:
    """A name as that of a file: without what file systems do not take, and not too long; `otherwise` where nothing is left of it.

    Examples
    --------
    >>> file_name("North window / 24 patches", "profile")
    'North window 24 patches'
    >>> file_name("/", "match")
    'match'
    """
    cleaned = re.sub(r'[\x00-\x1f/\\:*?"<>|]+', " ", name).strip(" .")
    return " ".join(cleaned.split())[:120] or otherwise
