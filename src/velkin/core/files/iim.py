"""IPTC's data sets (IIM 4.2): records that are carried as their bytes."""

from __future__ import annotations

import struct
from collections.abc import Iterable
from dataclasses import dataclass


@dataclass(frozen=True)
class DataSet:
    """One data set: record, number, bytes."""

    record: int
    number: int
    data: bytes


def read_iim(data: bytes) -> list[DataSet]:
    """The data sets of a block; what is damaged ends it."""
    found: list[DataSet] = []
    at = 0
    while at + 5 <= len(data) and data[at] == 0x1C:
        record, number, length = struct.unpack_from(">BBH", data, at + 1)
        at += 5
        if length & 0x8000:  # an extended data set says how long its length is
            size = length & 0x7FFF
            if not 1 <= size <= 4 or at + size > len(data):
                break
            length = int.from_bytes(data[at : at + size], "big")
            at += size
        if at + length > len(data):
            break
        found.append(DataSet(record, number, data[at : at + length]))
        at += length
    return found


def written_iim(sets: Iterable[DataSet]) -> bytes:
    """Data sets as one block; empty for none."""
    out = b""
    for s in sets:
        length = struct.pack(">H", len(s.data)) if len(s.data) < 0x8000 else struct.pack(">HI", 0x8004, len(s.data))
        out += bytes((0x1C, s.record, s.number)) + length + s.data
    return out
