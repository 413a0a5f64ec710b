"""Text as it may stand in XML."""

from __future__ import annotations

import re
from xml.sax.saxutils import escape, quoteattr

__all__ = ["attribute", "clear", "content"]

_NONE = re.compile("[^\t\n\r\x20-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")
"""Characters that XML 1.0 can't hold, written out or not (W3C, fifth edition, production 2)."""


def clear(text: str) -> str:
    """Return text without the characters that XML can't hold."""
    return _NONE.sub("", text)


def content(text: str) -> str:
    """Return text to stand between tags."""
    return escape(clear(text))


def attribute(text: str) -> str:
    """Return text as the value of an attribute, in quotes."""
    return quoteattr(clear(text))
