"""What every step that makes faces says of them: how they are shaded, and what their surface is."""

from __future__ import annotations

from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.finish import finish

__all__ = ["own_finish", "shading", "surface", "wears"]

_FINISH, _TEXTURE, _BOTH = "a_finish_of_its_own", "a_texture_of_its_own", "both_of_its_own"


def shading() -> str:
    """Declare how new faces are shaded against those beside them."""
    words = (
        ("flats_stay_flat", "flats stay flat and the strips run into them"),
        ("runs_over_the_flats", "the shading runs over the flats too"),
        ("strips_stand_apart", "the strips stand apart"),
    )
    out: str = choice("How the new faces are shaded against those beside them.", words, chapter="surface")
    return out


def surface() -> str:
    """Declare what the surface of new faces is."""
    words = (
        ("goes_on", "goes on from the faces beside"),
        (_FINISH, "has a finish of its own"),
        (_TEXTURE, "has a texture of its own"),
        (_BOTH, "has a finish and a texture of its own"),
    )
    out: str = choice("What the surface of the new faces is.", words, chapter="surface")
    return out


def own_finish() -> str | None:
    """Declare the finish of new faces, where their surface has one of its own."""
    out: str | None = finish(
        "Finish of the new faces.", chapter="surface", relevant=f'surface in ("{_FINISH}", "{_BOTH}")'
    )
    return out


def wears(surface: str, finish: str | None) -> tuple[str | None, bool]:
    """Return the finish that new faces are given, if any, and whether they have texture coordinates of their own."""
    return finish if surface in (_FINISH, _BOTH) else None, surface in (_TEXTURE, _BOTH)
