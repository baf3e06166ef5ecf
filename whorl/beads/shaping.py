"""Shaping a value into a mask, and a mask into colour."""

from whorl.beads.common import LEVEL, softness
from whorl.beads.spec import COLOUR, VALUE, Bead, Param, Setting
from whorl.fields import shaping as f

WIDE = (-1000.0, 1000.0)

BEADS = (
    Bead(
        "threshold",
        "shaping",
        "Cuts a value in two: 0 under a level, 1 over it.",
        VALUE,
        f.threshold,
        takes=(VALUE,),
        params=(LEVEL, softness(0.05)),
        find=("step", "cut", "mask", "cutoff", "dissolve"),
        formula="smooth step centred on level",
    ),
    Bead(
        "rim",
        "shaping",
        "A line along a threshold: what lies between it and another a little higher.",
        VALUE,
        f.rim,
        takes=(VALUE,),
        params=(
            LEVEL,
            Param("width", "How thick the line is.", (0.08,), (0, 0.3), (0, 1000), feed=VALUE),
            softness(0.05),
        ),
        find=("edge", "outline", "border", "glow line", "burn edge"),
        formula="threshold(level) − threshold(level + width)",
    ),
    Bead(
        "remap",
        "shaping",
        "Lays one range of values onto another.",
        VALUE,
        f.remap,
        takes=(VALUE,),
        params=(
            Param("from_low", "This value …", (0.0,), (0, 1), WIDE, feed=VALUE),
            Param("from_high", "… and this one …", (1.0,), (0, 1), WIDE, feed=VALUE),
            Param("to_low", "… become this …", (0.0,), (0, 1), WIDE, feed=VALUE),
            Param("to_high", "… and this.", (1.0,), (0, 1), WIDE, feed=VALUE),
        ),
        settings=(Setting("clamped", "Whether results stay within the second range.", True),),
        find=("range", "levels", "contrast", "fit", "normalise"),
    ),
    Bead(
        "invert",
        "shaping",
        "Exchanges dark and light.",
        VALUE,
        f.invert,
        takes=(VALUE,),
        find=("negate", "one minus", "flip"),
        formula="1 − value",
    ),
    Bead(
        "power",
        "shaping",
        "Raises a value to a power: over 1 darkens the middle, under 1 lightens it.",
        VALUE,
        f.raised,
        takes=(VALUE,),
        params=(Param("exponent", "Over 1 darkens the middle.", (2.0,), (0.25, 4), (0, 64), feed=VALUE),),
        find=("gamma", "exponent", "sharpen"),
        formula="value ^ exponent",
    ),
    Bead(
        "ramp",
        "shaping",
        "Turns a value into colours along a strip.",
        COLOUR,
        f.ramp,
        takes=(VALUE,),
        params=(
            Param(
                "stops",
                "The colours and where they lie.",
                ((0.0, 0.0, 0.0, 0.0), (1.0, 1.0, 1.0, 1.0)),
                (0, 1),
                (0, 1000),
                type="stops",
            ),
        ),
        settings=(
            Setting("interpolation", "How colours pass into each other.", "linear", ("constant", "linear", "smooth")),
        ),
        find=("gradient", "colour map", "colorize", "palette"),
    ),
)
