"""Scenes: the effect on its shape as files that other programs open, one file a format; a new one is named here."""

from whorl.bake.scene.baked import Format, SceneOptions, quiet
from whorl.bake.scene.glb import GLB
from whorl.bake.scene.mtlx import MTLX
from whorl.bake.scene.usd import USD

FORMATS: dict[str, Format] = {f.key: f for f in (GLB, MTLX, USD)}

__all__ = ["FORMATS", "Format", "SceneOptions", "quiet"]
