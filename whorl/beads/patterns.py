"""Patterns: what coordinates are turned into."""

from dataclasses import replace

from whorl.beads.common import DIMENSIONS, EVOLUTION, EVOLVE, SCALE, SEED, STEPS, octaves
from whorl.beads.spec import COLOUR, COORDS, VALUE, Bead, Param, Setting, Settings, Signal
from whorl.fields import cells, noise, patterns


def _chosen(settings: Settings, incoming: object) -> Signal:
    return COLOUR if settings["gives"] == "colour" else VALUE


FALLOFF = Setting("shape", "How it goes from 0 to 1.", "linear", options=("linear", "smooth", "exponential"))

BEADS = (
    Bead(
        "noise",
        "patterns",
        "Soft random variation: mist, smoke, grain, marble.",
        VALUE,
        noise.noise,
        takes=(COORDS,),
        fits="scale",
        params=(
            SCALE,
            Param("gain", "How strong each finer layer is.", (0.5,), (0.25, 0.75), (0, 1), feed=VALUE),
            Param(
                "distortion",
                "How far the noise pushes itself about.",
                (1.0,),
                (0, 3),
                (-100, 100),
                "cells",
                feed=VALUE,
                when=("distorted", True),
            ),
            EVOLVE,
            STEPS,
            SEED,
        ),
        settings=(
            octaves(4),
            Setting(
                "style", "Plain is cloudy, billowed puffy, ridged veined.", "plain", ("plain", "billowed", "ridged")
            ),
            DIMENSIONS,
            EVOLUTION,
            Setting("distorted", "Whether the noise pushes itself about.", False),
            Setting("lacunarity", "How much finer each layer is than the last.", 2, low=2, high=4),
        ),
        find=("perlin", "fractal", "clouds", "smoke", "mist", "turbulence", "marble", "lava"),
        source="Perlin, Improving Noise, 2002; Jarzynski and Olano 2020",
    ),
    Bead(
        "cells",
        "patterns",
        "Cells round scattered points: pebbles, caustics, cracks, scales.",
        VALUE,
        cells.cells,
        takes=(COORDS,),
        fits="scale",
        params=(
            SCALE,
            Param("jitter", "How far the points stray from a square lattice.", (1.0,), (0, 1), (0, 1), feed=VALUE),
            replace(EVOLVE, when=None),
            SEED,
        ),
        settings=(
            Setting(
                "result",
                "Distance to the nearest point, to the second, their difference, to the border; or a value per cell.",
                "nearest",
                ("nearest", "second", "difference", "border", "random"),
            ),
            DIMENSIONS,
        ),
        find=("worley", "voronoi", "cellular", "cracks", "caustics", "scales", "pebbles"),
        source="Worley 1996; Quilez 2012 for the border",
    ),
    Bead(
        "hexagons",
        "patterns",
        "A honeycomb: distance from its borders, or a value per cell.",
        VALUE,
        patterns.hexagons,
        takes=(COORDS,),
        fits="scale",
        params=(replace(SCALE, default=(6.0,), words="How many hexagons lie along one unit."), SEED),
        settings=(
            Setting(
                "result", "0 on a border and 1 in the middle; or a value per cell.", "distance", ("distance", "random")
            ),
        ),
        find=("honeycomb", "shield", "hex", "lattice"),
    ),
    Bead(
        "linear",
        "patterns",
        "A gradient along a direction.",
        VALUE,
        patterns.linear,
        takes=(COORDS,),
        params=(
            Param("direction", "Which way it rises.", (1.0, 0.0, 0.0), (-1, 1), (-100, 100), "", "triple"),
            Param("start", "Where it is 0.", (0.0,), (-1, 1), (-1000, 1000), "units", feed=VALUE),
            Param("span", "How far on it reaches 1.", (1.0,), (0.1, 2), (-1000, 1000), "units", feed=VALUE),
        ),
        settings=(FALLOFF,),
        find=("gradient", "height", "wipe", "axis"),
        formula="(p · direction − start) / span",
    ),
    Bead(
        "radial",
        "patterns",
        "A round spot: 1 in the middle, fading outwards.",
        VALUE,
        patterns.radial,
        takes=(COORDS,),
        params=(
            Param("centre", "The middle of the spot.", (0.5, 0.5, 0.0), (0, 1), (-1000, 1000), "units", "triple"),
            Param("radius", "Where it has faded to 0.", (0.5,), (0.1, 1), (1e-4, 1000), "units", feed=VALUE),
        ),
        settings=(FALLOFF,),
        find=("gradient", "circle", "sphere", "spot", "disc", "vignette"),
        formula="1 − |p − centre| / radius",
    ),
    Bead(
        "constant",
        "patterns",
        "The same value or colour everywhere.",
        _chosen,
        {VALUE: patterns.constant_value, COLOUR: patterns.constant_colour},
        params=(
            Param("value", "The value everywhere.", (0.5,), (0, 1), (-1000, 1000), when=("gives", "value"), feed=VALUE),
            Param(
                "colour",
                "The colour everywhere.",
                (1.0, 1.0, 1.0),
                (0, 1),
                (0, 64),
                type="colour",
                when=("gives", "colour"),
            ),
            Param(
                "gain",
                "How bright it is; over 1 it glows.",
                (1.0,),
                (0, 4),
                (0, 1000),
                when=("gives", "colour"),
                feed=VALUE,
            ),
        ),
        settings=(Setting("gives", "A value or a colour.", "value", ("value", "colour")),),
        find=("number", "flat", "solid", "grey", "fill"),
    ),
)
