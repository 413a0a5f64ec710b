"""A pattern raised on or sunk into a body's surface."""

from __future__ import annotations

import io
from typing import TYPE_CHECKING

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.mesh import Mesh
from jukai.core.notes import Note
from jukai.core.operators.base import Callout, CalloutForm, Context, Example, Kind, Result, operator, three
from jukai.core.operators.deforming import DeformingValues, Span, deformed, span_of
from jukai.core.operators.inputs import FileInput
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.count import count
from jukai.core.operators.kinds.file import file
from jukai.core.operators.kinds.length import length
from jukai.core.operators.kinds.seed import seed
from jukai.core.operators.kinds.share import share

if TYPE_CHECKING:
    from jukai.core.geometry.arrays import Array
    from jukai.core.geometry.levels import Levels

__all__ = ["Values", "relief"]

_CHUNK = 100_000
_SAMPLES = 20_000


class Values(DeformingValues):
    """A pattern that stands out of a surface or is sunk into it."""

    pattern: str = choice("What is laid on.", (("noise", "smooth noise"), ("cells", "cells"), ("image", "the picture")))
    picture: FileInput | None = file(
        "A PNG or JPEG: white is high, black is low.", endings=("png", "jpg", "jpeg"), relevant='pattern == "image"'
    )
    size: float | None = length(
        "How large the pattern is: the coarsest waves, a cell, or the picture's width.",
        otherwise="a quarter of the part's size", gt=0, le=1e9,
    )  # fmt: skip
    depth: float | None = length(
        "From the lowest to the highest that the pattern can be.", otherwise="a twentieth of the part's size", ge=-1e6, le=1e6
    )  # fmt: skip
    zero_at: float = share(
        "Which height of the pattern stays on the surface: 0 % raises all of it, 100 % sinks it.", default=0.5, ge=-10, le=10
    )  # fmt: skip
    moves: str = choice(
        "Which way it stands out.", (("normals", "along the surface's normals"), ("axis", "along the axis"))
    )
    octaves: int = count(
        "How many patterns lie on each other, each half as large and half as high.", default=3, ge=1, le=12, relevant='pattern == "noise"',
    )  # fmt: skip
    laid: str = choice(
        "How the picture lies on the body.",
        (("axis", "projected along the axis"), ("texture", "by its texture coordinates")), relevant='pattern == "image"',
    )  # fmt: skip
    seed_: int = seed(relevant='pattern != "image"')


@operator(
    id="relief",
    kind=Kind.CHANGE,
    values=Values,
    sentence="Raise {pattern}[ {picture}], {size} large and {depth} deep, from {from} to {to} along {axis}",
    quiet="{moves}, {zero_at} of it on the surface[; {octaves} octaves][, seed {seed}][; {laid}]; strength {strength}, {weights}.",
    synonyms=("noise", "displace", "emboss", "bump", "hammered", "rough", "texture", "height map", "stipple"),
    example=Example(
        (("sphere", {"radius": 20, "rows": 24, "sides": 40}), ("relief", {"pattern": "noise", "size": 12, "depth": 7, "octaves": 2})),
    ),
)  # fmt: skip
def relief(mesh: Mesh, values: Values, context: Context) -> Result:
    """Raise a pattern on a surface or sink it in: smooth noise, cells, or a picture's grey.

    References
    ----------
    K. Perlin, Improving noise, SIGGRAPH 2002; S. Worley, A cellular texture basis function, SIGGRAPH 1996.
    """
    from jukai.core.geometry.relief import point_normals

    span = span_of(mesh, values, "relief")
    size = mesh.size / 4 if values.size is None else values.size
    depth = mesh.size / 20 if values.depth is None else values.depth
    context.checkpoint(0.05)
    heights = _heights(span, values, size, context)
    amount = np.where((span.along >= span.start) & (span.along <= span.stop), span.amount, 0.0)
    move = amount * (heights - values.zero_at) * depth
    ways = (
        point_normals(mesh) if values.moves == "normals" else np.broadcast_to(span.frame.direction, mesh.points.shape)
    )
    points = np.where((move == 0)[:, None], mesh.points, mesh.points + move[:, None] * ways)
    notes = _notes(span, values, size, depth)
    used: dict[str, object] = {} if values.size is not None else {"size": size}
    if values.depth is None:
        used["depth"] = depth

    def callouts(_find: Levels) -> list[Callout]:
        if not mesh.n_points:
            return []
        top = int(np.argmax(np.where(mesh.used_points, np.abs(move), -1.0)))
        way, here = ways[top], points[top]
        share_ = float(heights[top] - values.zero_at) * span.most
        gain = 1.0 / share_ if abs(share_) > 1e-3 else 1.0
        beside = span.frame.axes[int(np.argmin(np.abs(span.frame.axes @ way)))]
        aside = beside - way * float(way @ beside)
        aside = aside / max(float(np.linalg.norm(aside)), 1e-300)
        # held at the point of the body that is nearest to its end
        gap = np.where(mesh.used_points, np.linalg.norm(points - (here + aside * size), axis=1), np.inf)
        near = points[int(np.argmin(gap))]
        return [
            Callout("values/depth", CalloutForm.LENGTH, three(mesh.points[top]), three(here), three(way), gain, grip=three(here)),
            Callout("values/size", CalloutForm.LENGTH, three(here), three(here + aside * size), three(aside), grip=three(near)),
        ]  # fmt: skip

    return deformed(span, values, points, notes=notes, callouts=callouts, used=used)


def _heights(span: Span, values: Values, size: float, context: Context) -> Floats:
    """Return (n,) the pattern's heights at the body's points, 0 to 1."""
    from jukai.core.geometry.noise import cells, grey_at, smooth_noise
    from jukai.core.geometry.relief import at_points

    mesh = span.mesh
    if values.pattern == "image":
        if values.picture is None:
            raise ValueProblem(
                "No picture is chosen.", field="picture", hint="Choose a PNG or JPEG, or another pattern."
            )
        grey = _grey(values.picture)
        if values.laid == "texture":
            if mesh.uv is None:
                raise ValueProblem(
                    "The body has no texture coordinates.", field="laid", hint="Project the picture along the axis."
                )
            return at_points(mesh, grey_at(grey, mesh.uv[:, 0], mesh.uv[:, 1]))
        across = (mesh.points - span.frame.origin) @ span.frame.axes[:2].T
        tall = size * grey.shape[0] / grey.shape[1]
        return grey_at(grey, across[:, 0] / size + 0.5, across[:, 1] / tall + 0.5)
    out = np.empty(mesh.n_points)
    for a in range(0, mesh.n_points, _CHUNK):
        here = mesh.points[a : a + _CHUNK]
        if values.pattern == "cells":
            out[a : a + _CHUNK] = cells(here, size, seed=values.seed_)
        else:
            noise = smooth_noise(here, size, octaves=values.octaves, seed=values.seed_)
            out[a : a + _CHUNK] = np.clip((1 + noise) / 2, 0.0, 1.0)
        context.checkpoint(0.1 + 0.7 * a / mesh.n_points)
    return out


def _grey(picture: FileInput) -> Array:
    """Return a picture's grey, (tall, wide) from 0 to 1."""
    from PIL import Image

    from jukai.core.errors import FileProblem
    from jukai.core.formats.pictures import picture_of

    data = picture.read()
    try:
        picture_of(data)
    except FileProblem as e:
        raise ValueProblem(f"'{picture.name}': {e.message}", field="picture", hint=e.hint) from None
    with Image.open(io.BytesIO(data), formats=("PNG", "JPEG")) as image:
        if image.mode.startswith("I;16") or image.mode == "I":
            return np.asarray(image, dtype=np.float64) / 65_535
        return np.asarray(image.convert("L"), dtype=np.float64) / 255


def _notes(span: Span, values: Values, size: float, depth: float) -> list[Note]:
    if depth == 0:
        return [Note("info", "A depth of 0 mm changes nothing.", field="depth")]
    mesh = span.mesh
    edges = mesh.connectivity.edges
    if not len(edges) or values.pattern == "image":
        return []
    finest = size / 2 ** (values.octaves - 1 if values.pattern == "noise" else 0)
    edges = edges[:: max(1, len(edges) // _SAMPLES)]
    d = mesh.points[edges[:, 0]] - mesh.points[edges[:, 1]]
    longest = float(np.sqrt(np.einsum("ij,ij->i", d, d).max()))
    if longest <= size / 2:
        return []
    levels = min(max(int(np.ceil(np.log2(longest / (max(finest, size / 4) / 3)))), 1), 5)
    before = ("subdivide", {"levels": levels, "sharp": {"rule": "sharper_than", "of": "edges", "angle": 30}},
              f"subdivide it {levels} {'time' if levels == 1 else 'times'} before")  # fmt: skip
    text = f"The body's edges are up to {longest:.3g} mm long: too coarse for a pattern {size:.3g} mm large."
    return [Note("warning", text, field="size", before=(before,))]
