"""Params and settings that several kinds share."""

from whorl.beads.spec import VALUE, Param, Setting

SCALE = Param(
    "scale", "How many cells lie along one unit: higher is finer.", (4.0,), (1, 12), (0.01, 512), "cells", feed=VALUE
)
SEED = Param("seed", "Which of many patterns of the same kind.", (1.0,), (0, 100), (-65536, 65536), whole=True)
CHURN = Param(
    "churn",
    "How far the pattern has changed along its closed path; 1 is where it began.",
    (0.0,),
    (0, 1),
    (-1000, 1000),
    "turns",
    wrap=1.0,
    feed=VALUE,
    when=("churns", True),
)
#: One strand that says how far several beads have gone, each at a ratio of its own.
DRIVER = Param(
    "driver",
    "A strand that says how much of it there is, such as where the turn is: one can drive several layers, each as far "
    "as its own numbers say.",
    (1.0,),
    moves=False,
    feed=VALUE,
    by_strand=True,
    label="driven by",
)
STEPS = Param(
    "steps",
    "How much change there is along the closed path: higher boils faster.",
    (2.0,),
    (1, 8),
    (1, 256),
    "cells",
    whole=True,
    when=("churns", True),
)
CHURNS = Setting("churns", "Whether the pattern can change in place. Costs some speed.", False)
DIMENSIONS = Setting(
    "dimensions", "2 looks at the first two axes, as for surface UV; 3 fills space.", 2, options=("2", "3")
)


def octaves(default: int) -> Setting:
    return Setting("octaves", "How many finer layers are added up.", default, low=1, high=10)


def softness(default: float) -> Param:
    return Param(
        "softness", "How wide the step from 0 to 1 is; 0 is hard.", (default,), (0, 0.4), (0, 1000), feed=VALUE
    )


LEVEL = Param("level", "Where the step lies: raising it leaves less.", (0.5,), (0, 1), (-1000, 1000), feed=VALUE)


EDGES = Setting(
    "edges",
    "Smooth edges are a pixel wide at the least, so that they neither crawl nor stair-step.",
    "smooth",
    options=("smooth", "hard"),
)
CENTRE = Param("centre", "The point it goes round.", (0.5, 0.5), (0, 1), (-1000, 1000), "units", "pair")
AXIS = Setting("axis", "Which way it runs.", "x", options=("x", "y", "z"))


PICTURE = Setting("picture", "Which of the effect's pictures is shown.", "")
WRAP = Setting(
    "wrap",
    "What lies beyond the picture's edge: itself again, its mirror, or its edge drawn out.",
    "repeat",
    options=("repeat", "mirror", "edge"),
)
SEAMS = Setting(
    "seams",
    "What becomes of sides that do not meet where it repeats: left as they are, or blended into one another.",
    "left",
    options=("left", "blended"),
)
BLEND = Param(
    "blend",
    "How much of the picture its sides are blended over.",
    (0.25,),
    (0.05, 0.5),
    (0.01, 0.5),
    when=("seams", "blended"),
    moves=False,
)
FILTER = Setting(
    "filter",
    "Smooth between texels, and quiet where they are smaller than pixels; or in blocks.",
    "smooth",
    options=("smooth", "blocks"),
)
DETAIL = Param("detail", "Under 0 is sharper and may crawl, over 0 is softer.", (0.0,), (-1, 2), (-8, 8), "levels")
