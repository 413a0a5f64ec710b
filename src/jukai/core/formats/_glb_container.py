"""What stands around the meshes of a GLB file (glTF 2.0, ISO/IEC 12113): chunks, JSON, numbers, matrices."""

from __future__ import annotations

import base64
import binascii
import json
import math

import numpy as np

from jukai.core.errors import FileProblem
from jukai.core.formats.common import LIMIT
from jukai.core.geometry.arrays import Floats

__all__ = ["check_finite", "chunks", "data_uri", "index_of", "node_matrix", "to_mm", "whole_number"]

_MOST_JSON = 32 << 20
"""Bytes of JSON: as objects it takes some twenty times as much."""


def chunks(data: bytes) -> tuple[dict[str, object], bytes | None]:
    """Return the JSON of a GLB file and its binary chunk, None where it has none."""
    if not data:
        raise FileProblem("The file is empty.")
    if data.lstrip()[:1] == b"{":
        raise FileProblem("This is text glTF, not GLB.", hint="Save it as one binary file.")
    if data[:4] != b"glTF":
        raise FileProblem("This is no GLB file.")
    if len(data) < 12:
        raise FileProblem(f"The file ends inside its header: {len(data)} bytes, 12 are needed.")
    version, length = (int.from_bytes(data[i : i + 4], "little") for i in (4, 8))
    if version != 2:
        raise FileProblem(f"GLB version {version} is not supported; 2 is.")
    if length > len(data) or length < 12:
        raise FileProblem(f"The header says {length} bytes, the file has {len(data)}.")
    text: bytes | None = None
    blob: bytes | None = None
    at = 12
    while at + 8 <= length:
        size, kind = int.from_bytes(data[at : at + 4], "little"), data[at + 4 : at + 8]
        if text is None and kind != b"JSON":
            raise FileProblem("The first chunk must be JSON.")
        if at + 8 + size > length:
            name = "JSON" if kind == b"JSON" else "binary" if kind == b"BIN\0" else "unknown"
            raise FileProblem(f"The {name} chunk reaches past the end of the file.")
        body = data[at + 8 : at + 8 + size]
        if text is None:
            text = body
        elif kind == b"BIN\0" and blob is None:
            blob = body
        at += 8 + size
    if text is None:
        raise FileProblem("The file has no JSON chunk.")
    return _json(text), blob


def _json(text: bytes) -> dict[str, object]:
    if len(text) > _MOST_JSON:
        raise FileProblem(
            f"The JSON chunk has {len(text) // 1_000_000} MB; {_MOST_JSON // 1_000_000} MB are the most.",
            hint="The numbers of the meshes belong in the binary chunk.",
        )
    if not text.strip(b" \0"):
        raise FileProblem("The JSON chunk is empty.")

    def constant(word: str) -> object:
        raise FileProblem(f"The JSON is broken: {word} is no number there.")

    try:
        doc = json.loads(text.decode("utf-8"), parse_constant=constant)
    except UnicodeDecodeError:
        raise FileProblem("The JSON is not UTF-8.") from None
    except json.JSONDecodeError as e:
        raise FileProblem(f"The JSON is broken at position {e.pos}.") from None
    except RecursionError:
        raise FileProblem("The JSON is nested too deep.") from None
    if not isinstance(doc, dict):
        raise FileProblem("The JSON must be an object.")
    return doc


def index_of(value: object, count: int, what: str) -> int:
    """Return a number that counts within ``count`` things; ``what`` begins the words where it doesn't."""
    if isinstance(value, bool) or not isinstance(value, int) or not 0 <= value < count:
        raise FileProblem(f"{what} {value}, there {'is' if count == 1 else 'are'} {count}.")
    return value


def whole_number(value: object, what: str, least: int = 0) -> int:
    """Return a whole number that is not less than ``least``."""
    if isinstance(value, bool) or not isinstance(value, int):
        raise FileProblem(f"{what} is no whole number.")
    if value < least:
        raise FileProblem(f"{what} {value}.")
    return value


def data_uri(uri: object, i: int) -> bytes:
    """Return the bytes of a buffer that is written within the JSON."""
    if not isinstance(uri, str) or not uri.startswith("data:"):
        raise FileProblem(f"Buffer {i} lies outside the file; nothing was fetched or read.")
    head, _, body = uri.partition(",")
    try:
        return base64.b64decode(body if head.endswith(";base64") else "?", validate=True)
    except (ValueError, binascii.Error):
        raise FileProblem(f"Buffer {i}: its data cannot be read.") from None


def check_finite(points: Floats) -> None:
    """Refuse points (n, 3) that are not finite, and name the first."""
    good = np.isfinite(points).all(axis=1)
    if not good.all():
        raise FileProblem(f"Point {int(np.argmin(good))}: a coordinate is not a finite number.")


def _numbers(value: object, count: int, what: str) -> Floats:
    if (
        not isinstance(value, list)
        or len(value) != count
        or not all(isinstance(x, int | float) and not isinstance(x, bool) for x in value)
    ):
        raise FileProblem(f"{what} needs {count} numbers.")
    out = np.array(value, dtype=np.float64)
    if not np.isfinite(out).all():
        raise FileProblem(f"{what} is not finite.")
    return out


def node_matrix(node: dict[str, object], i: int) -> Floats:
    """Return the matrix (4, 4) of a node, from its own or from rotation, scale and translation."""
    if "matrix" in node:
        matrix = _numbers(node["matrix"], 16, f"Node {i}: matrix").reshape(4, 4).T
        if abs(np.linalg.det(matrix[:3, :3])) < 1e-300:
            raise FileProblem(f"Node {i}: its matrix has no inverse.")
        return np.asarray(matrix)
    out = np.eye(4)
    if "rotation" in node:
        x, y, z, w = _numbers(node["rotation"], 4, f"Node {i}: rotation")
        norm = math.sqrt(x * x + y * y + z * z + w * w) or 1.0
        x, y, z, w = x / norm, y / norm, z / norm, w / norm
        out[:3, :3] = [
            [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
            [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
            [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
        ]
    if "scale" in node:
        out[:3, :3] *= _numbers(node["scale"], 3, f"Node {i}: scale")
    if "translation" in node:
        out[:3, 3] = _numbers(node["translation"], 3, f"Node {i}: translation")
    return out


def to_mm(points: Floats, matrix: Floats) -> Floats:
    """Return points (n, 3) in mm with Z upwards, from metres with Y upwards."""
    if not (matrix == np.eye(4)).all():
        with np.errstate(over="ignore", invalid="ignore"):
            points = points @ matrix[:3, :3].T + matrix[:3, 3]
    with np.errstate(over="ignore", invalid="ignore"):
        points = np.stack([points[:, 0], -points[:, 2], points[:, 1]], axis=1) * 1000 + 0.0
    if not (np.abs(points) <= LIMIT).all():
        raise FileProblem(f"Coordinates are too large after the scale of their node; {LIMIT:g} mm is the limit.")
    return points
