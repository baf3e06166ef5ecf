"""Bringing strands together."""

from dataclasses import replace

from whorl.beads.common import EDGES, LEVEL
from whorl.beads.spec import COLOUR, VALUE, Bead, Param, Setting, widest
from whorl.fields import blending, colour

BEADS = (
    Bead(
        "tap",
        "combining",
        "Goes on from a strand above, or from any bead of it.",
        lambda settings, incoming: incoming[0],
        {},
        brings=Param("from", "The strand or bead to go on from.", (0.0,), feed=COLOUR, needed=True),
        find=("strand", "reuse", "copy of", "branch", "reference"),
        short="{from}",
        goes_on=True,
    ),
    Bead(
        "blend",
        "combining",
        "Lays another strand over this one.",
        widest,
        {VALUE: blending.blend_value, COLOUR: blending.blend_colour},
        takes=(VALUE, COLOUR),
        brings=Param("top", "The strand that is laid on top.", (0.5,), (0, 1), (-1000, 1000), feed=COLOUR),
        params=(Param("amount", "How much of the blend shows.", (1.0,), (0, 1), (0, 1), feed=VALUE),),
        settings=(
            Setting("mode", "How the two are put together.", "multiply", blending.MODES, by_look=True),
            Setting("swap", "Exchanges what is below and what is on top; the order can matter.", False),
        ),
        find=(*blending.MODES, "combine", "mask", "max", "min", "layer"),
        source="W3C, Compositing and Blending Level 1",
        short="{mode} {top}",
    ),
    Bead(
        "mix",
        "combining",
        "Passes from this strand to another where a mask says so.",
        widest,
        {VALUE: blending.mixed_value, COLOUR: blending.mixed_colour},
        takes=(VALUE, COLOUR),
        brings=Param("top", "The strand that shows where the mask is 1.", (0.5,), (0, 1), (-1000, 1000), feed=COLOUR),
        params=(Param("mask", "0 is this strand, 1 the other.", (0.5,), (0, 1), (-1000, 1000), feed=VALUE),),
        find=("mask", "crossfade", "lerp", "transition"),
        formula="below · (1 − mask) + top · mask",
    ),
    Bead(
        "select",
        "combining",
        "Shows this strand or another, by whether a third lies over a level.",
        widest,
        {VALUE: blending.selected_value, COLOUR: blending.selected_colour},
        takes=(VALUE, COLOUR),
        brings=Param("top", "The strand that shows above the level.", (0.5,), (0, 1), (-1000, 1000), feed=COLOUR),
        params=(
            Param("by", "What is compared with the level.", (0.0,), (0, 1), (-1000, 1000), feed=VALUE),
            replace(LEVEL, words="Above this the other strand shows."),
        ),
        settings=(EDGES,),
        find=("compare", "if", "greater", "less", "switch"),
    ),
    Bead(
        "combine",
        "combining",
        "Three values as the red, green and blue of a colour.",
        COLOUR,
        colour.combined,
        takes=(VALUE,),
        params=(
            Param("green", "The green; what comes in is the red.", (0.0,), (0, 1), (-1000, 1000), feed=VALUE),
            Param("blue", "The blue.", (0.0,), (0, 1), (-1000, 1000), feed=VALUE),
        ),
        find=("rgb", "channels", "pack", "merge"),
    ),
)
