"""Curves from files, by their format."""

from __future__ import annotations

from jukai.core.errors import FileProblem
from jukai.core.json_data import JsonObject

__all__ = ["read_curves"]

_MOST = 50_000_000
"""Bytes."""


def read_curves(name: str, data: bytes) -> list[JsonObject]:
    """Return the curves of an SVG or DXF drawing, without ids.

    Raises
    ------
    FileProblem
        When it is neither, can't be read, or holds none.
    """
    ending = name.rsplit(".", 1)[-1].lower()
    if len(data) > _MOST:
        raise FileProblem(f"The file has over {_MOST // 1_000_000} MB.", hint="Leave out what is not needed.")
    if ending == "svg":
        from jukai.core.formats.svg_reading import read_svg

        return read_svg(data)
    if ending == "dxf":
        from jukai.core.formats.dxf_reading import read_dxf

        return read_dxf(data)
    raise FileProblem(f"'{name[:80]}' is no drawing that can be read.", hint="Curves come from SVG and DXF files.")
