"""Pictures to be traced: what is one, and what is said of all else."""

from __future__ import annotations

import io
import unittest
import zlib

from PIL import Image

from jukai.core.errors import FileProblem
from jukai.core.formats.pictures import picture_of


def made(kind: str, size: tuple[int, int] = (40, 30)) -> bytes:
    out = io.BytesIO()
    Image.new("RGB", size, "#336644").save(out, kind)
    return out.getvalue()


class Pictures(unittest.TestCase):
    def test_png_and_jpeg(self) -> None:
        for kind in ("PNG", "JPEG"):
            self.assertEqual(picture_of(made(kind)), (f"image/{kind.lower()}", 40, 30))

    def test_what_is_none_is_said(self) -> None:
        png = made("PNG")
        # a head that promises more pixels than can be held, with a checksum that fits
        head = png[12:16] + (60_000).to_bytes(4, "big") * 2 + png[24:29]
        huge = png[:8] + png[8:12] + head + zlib.crc32(head).to_bytes(4, "big") + png[33:]
        rows = (
            (b"", "is empty"), (b"GIF89a", "is no PNG or JPEG"), (made("BMP"), "is no PNG or JPEG"), (png[:60], "can't be read"),
            (made("JPEG")[:300], "can't be read|is no PNG"), (huge, "60000 × 60000 pixels|exceeds limit"), (made("PNG", (12_001, 1)), "12001 × 1 pixels"),
        )  # fmt: skip
        for data, text in rows:
            with self.subTest(text), self.assertRaisesRegex(FileProblem, text):
                picture_of(data)


if __name__ == "__main__":
    unittest.main()
