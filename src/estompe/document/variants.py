"""Named variants of a scene, kept beside it: whole scenes that share everything that is the same."""

from typing import Annotated

from msgspec import Meta

from estompe.document.scene import Name, Scene
from estompe.kinds.part import Part


class Variant(Part):
    """The scene as it once stood, under a name."""

    name: Name
    scene: Scene


Variants = Annotated[tuple[Variant, ...], Meta(max_length=10_000)]


def fresh_variant_name(variants: tuple[Variant, ...], stem: str = "Variant") -> str:
    """A name that no variant has yet."""
    taken, number = {variant.name for variant in variants}, 1
    while f"{stem} {number}" in taken:
        number += 1
    return f"{stem} {number}"
