"""Documents as they are stored: whole, or as what differs from another one, compressed.

A difference is what stands between the longest common beginning and the longest common end of the two
texts: an edit changes one place of a bench, so that a few bytes are left. Each stored document carries
a check sum of the whole text.
"""

from __future__ import annotations

import json
import struct
import zlib

from jukai.core.json_data import JsonObject

__all__ = ["DEEPEST", "decode", "encode", "text_of"]

DEEPEST = 20
"""Differences one upon the other until a document is stored whole again."""
_HEAD = struct.Struct("<cIII")


def text_of(document: JsonObject) -> bytes:
    """Return a document as the text that is stored."""
    return json.dumps(document, ensure_ascii=False, separators=(",", ":")).encode()


def encode(text: bytes, base: bytes | None) -> bytes:
    """Return a text as it is stored: whole, or as its difference to ``base``."""
    check = zlib.crc32(text)
    if base is None:
        return _HEAD.pack(b"W", 0, 0, check) + zlib.compress(text, 6)
    start = _alike(text, base)
    most = min(len(text), len(base)) - start
    end = min(_alike(text[::-1], base[::-1]), most)
    return _HEAD.pack(b"D", start, end, check) + zlib.compress(text[start : len(text) - end], 6)


def decode(data: bytes, base: bytes | None) -> bytes:
    """Return a text from how it is stored.

    Raises
    ------
    ValueError
        When what is stored is damaged.
    """
    kind, start, end, check = _HEAD.unpack_from(data)
    middle = zlib.decompress(data[_HEAD.size :])
    if kind == b"W":
        text = middle
    elif base is None:
        raise ValueError("a difference without what it differs from")
    else:
        text = base[:start] + middle + (base[len(base) - end :] if end else b"")
    if zlib.crc32(text) != check:
        raise ValueError("the stored document is damaged")
    return text


def _alike(a: bytes, b: bytes) -> int:
    """Return the length of the longest common beginning, by halving."""
    low, high = 0, min(len(a), len(b))
    while low < high:
        middle = (low + high + 1) // 2
        if a[low:middle] == b[low:middle]:
            low = middle
        else:
            high = middle - 1
    return low
