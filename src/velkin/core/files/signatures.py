"""First bytes by which more than one reader knows a format."""

#: Of PNG (W3C PNG, third edition, section 5.2).
PNG_HEAD = b"\x89PNG\r\n\x1a\n"
