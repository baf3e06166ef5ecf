"""Bringing strands together, colour, and what depends on the viewer."""

from whorl.beads.spec import COLOUR, VALUE, Bead, Param, Setting, widest
from whorl.fields import blending, colour, view

BEADS = (
    Bead(
        "tap",
        "combining",
        "Goes on from a strand above, or from any bead of it.",
        lambda settings, incoming: incoming[0],
        {},
        brings=Param("from", "The strand or bead to go on from.", (0.0,), feed=COLOUR),
        find=("strand", "reuse", "copy of", "branch", "reference"),
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
            Setting("mode", "How the two are put together.", "multiply", options=blending.MODES),
            Setting("swap", "Exchanges what is below and what is on top; the order can matter.", False),
        ),
        find=(*blending.MODES, "combine", "mask", "max", "min", "layer"),
        source="W3C, Compositing and Blending Level 1",
    ),
    Bead(
        "tint",
        "colour",
        "Multiplies by a colour and a strength.",
        COLOUR,
        colour.tint,
        takes=(COLOUR,),
        params=(
            Param("colour", "The colour of the light.", (0.25, 0.85, 0.75), (0, 1), (0, 64), type="colour"),
            Param("gain", "How bright it is; over 1 it glows.", (1.0,), (0, 4), (0, 1000), feed=VALUE),
        ),
        find=("colorize", "multiply", "hdr", "brightness"),
        formula="signal · colour · gain",
    ),
    Bead(
        "fresnel",
        "view",
        "Bright where the surface turns away from the viewer.",
        VALUE,
        view.fresnel,
        params=(
            Param("exponent", "Higher keeps the glow to the very edge.", (3.0,), (1, 6), (0, 64), feed=VALUE),
            Param("strength", "How bright the edge is.", (1.0,), (0, 2), (0, 1000), feed=VALUE),
            Param(
                "bias", "What remains where the surface faces the viewer.", (0.0,), (0, 0.5), (-1000, 1000), feed=VALUE
            ),
        ),
        settings=(Setting("inverted", "Bright where it faces the viewer instead.", False),),
        find=("edge glow", "facing", "rim light", "grazing"),
        source="Schlick, An Inexpensive BRDF Model, 1994",
        formula="bias + strength · (1 − |n·v|) ^ exponent",
    ),
)
