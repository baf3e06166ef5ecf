"""Routes of what Whorl knows: its catalogue and the schema of a document."""

from dataclasses import asdict
from functools import cache
from typing import Any

from fastapi import APIRouter

from whorl.api import models as m
from whorl.bake.handed import HANDED, RECEIVERS
from whorl.bake.maps import MapsOptions
from whorl.bake.options import STILLS, VIDEOS, BakeOptions, Size
from whorl.bake.scene import SceneOptions
from whorl.bake.sheet import SheetOptions
from whorl.beads.catalogue import described, described_param
from whorl.checks import Bad
from whorl.effect import Effect
from whorl.effect.described import STRENGTH
from whorl.effect.document import ASKED, HOLDS
from whorl.effect.tree import motions, of_part, tree
from whorl.plan.graph import CAMERA
from whorl.plan.print.languages import LANGUAGES
from whorl.shapes import SHAPES
from whorl.stage.layers import LAYERS
from whorl.stage.ready import CONDITIONS, FIGURE, ON_SHAPES, READY, UNSEEN

routes = APIRouter()


@routes.get("/catalogue")
def catalogue() -> m.Catalogue:
    """Every kind of bead, the described document, motions, shapes, and ready stages."""
    return _catalogue()


@cache
def _catalogue() -> m.Catalogue:
    return m.Catalogue.model_validate(
        {
            "beads": described(),
            "parts": tree()
            | {
                "BakeOptions": of_part(BakeOptions),
                "SheetOptions": of_part(SheetOptions),
                "Size": of_part(Size),
                "MapsOptions": of_part(MapsOptions),
                "SceneOptions": of_part(SceneOptions),
            },
            "defaults": Effect(name="default"),
            "motions": motions(),
            "stages": READY,
            "figure": FIGURE,
            "conditions": CONDITIONS,
            "on_shapes": ON_SHAPES,
            "unseen": UNSEEN,
            "gravity": list(Bad),
            "shapes": [{"name": s.name, "words": s.words, "close": s.close} for s in SHAPES.values()],
            "strength": described_param(STRENGTH),
            "asked": {name: described_param(p) for name, p in ASKED.items()},
            "camera": list(CAMERA),
            "lever_holds": {kind: list(fields) for kind, fields in HOLDS.items()},
            "stills": [{"kind": k, "title": s.title, "words": s.words} for k, s in STILLS.items()],
            "videos": [{"kind": k, "title": v.title, "words": v.words} for k, v in VIDEOS.items()],
            "layers": [{"kind": k, "title": k, "words": words} for k, (_, words) in LAYERS.items()],
            "languages": [{"kind": k, "title": s.title, "words": s.ending} for k, s in LANGUAGES.items()],
            "forms": [
                {"key": h.key, "title": h.title, "words": h.words, "made": h.write is not None} for h in HANDED.values()
            ],
            "receivers": [asdict(r) for r in RECEIVERS],
        }
    )


@routes.get("/schema")
def schema() -> dict[str, Any]:
    """The JSON Schema of a `.whorl.json` document."""
    return Effect.model_json_schema()
