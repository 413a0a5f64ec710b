"""Pictures that lie under a curve to be traced: PNG and JPEG."""

from __future__ import annotations

import io
from typing import NamedTuple

from jukai.core.errors import FileProblem

__all__ = ["PICTURES", "Picture", "picture_of"]

PICTURES = ("png", "jpg", "jpeg")
_MOST_BYTES = 30_000_000
_MOST_SIDE = 12_000


class Picture(NamedTuple):
    """What is known of a picture: its media type and its size in pixels."""

    media: str
    wide: int
    tall: int


def picture_of(data: bytes) -> Picture:
    """Return what a file holds, once it is known that it can be read to its end.

    Raises
    ------
    FileProblem
        When it is neither PNG nor JPEG, is broken, or is too large.
    """
    from PIL import Image

    if not data:
        raise FileProblem("The file is empty.")
    if len(data) > _MOST_BYTES:
        raise FileProblem(f"The picture has over {_MOST_BYTES // 1_000_000} MB.", hint="Make it smaller first.")
    try:
        image = Image.open(io.BytesIO(data), formats=("PNG", "JPEG"))
    except Exception as e:  # noqa: BLE001 - the library raises what it meets in a broken file
        raise _unreadable(e) from None
    with image:
        wide, tall = image.size
        if max(wide, tall) > _MOST_SIDE:
            raise FileProblem(
                f"The picture has {wide} × {tall} pixels; {_MOST_SIDE} are the most along a side.",
                hint="Make it smaller first.",
            )
        try:
            image.load()
        except Exception as e:  # noqa: BLE001
            raise _unreadable(e) from None
        return Picture(f"image/{(image.format or '').lower()}", wide, tall)


def _unreadable(e: Exception) -> FileProblem:
    text = " ".join(str(e).split()).rstrip(".")[:100]
    what = "is no PNG or JPEG" if "cannot identify" in text else f"can't be read: {text}"
    return FileProblem(f"The picture {what}.", hint="Save it anew as PNG or JPEG.")
