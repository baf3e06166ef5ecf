"""Directions: normals bent by heights and by noise."""

from dataclasses import replace

from whorl.beads.common import BLEND, DETAIL, FILTER, PICTURE, SCALE, SEAMS, SEED, WRAP, octaves
from whorl.beads.spec import COLOUR, COORDS, DIRECTION, VALUE, Bead, Param, Setting
from whorl.fields import directions as f

BEADS = (
    Bead(
        "bump",
        "directions",
        "Bends the surface's normal by a height, which it always moves with.",
        DIRECTION,
        f.bump,
        takes=(VALUE,),
        params=(
            Param(
                "strength", "How far a height of 1 stands out.", (0.1,), (-0.4, 0.4), (-100, 100), "units", feed=VALUE
            ),
            Param(
                "distance",
                "How far apart heights are compared: larger is smoother.",
                (0.005,),
                (0.001, 0.02),
                (1e-5, 10),
                "units",
            ),
        ),
        find=("normal", "relief", "height", "emboss", "surface detail"),
        source="Blinn, Simulation of Wrinkled Surfaces, 1978",
        formula="n − strength · gradient of the height",
    ),
    Bead(
        "lean",
        "directions",
        "Bends the surface's normal by a colour, taken round its middle.",
        DIRECTION,
        f.leaned,
        takes=(COLOUR, VALUE),
        params=(
            Param("strength", "How far a colour of 1 bends it.", (0.6,), (0, 1.5), (-100, 100), feed=VALUE),
            Param("middle", "What leaves it as it is.", (0.5,), (0, 1), (-1000, 1000), feed=VALUE),
        ),
        settings=(Setting("space", "Along which axes it bends.", "surface", options=("surface", "object")),),
        title="lean by colour",
        find=("colour to normal", "vector to normal", "perturb", "direction"),
        formula="n + (colour − middle) · strength",
    ),
    Bead(
        "blend-normals",
        "directions",
        "Lays one bent normal over another, so that both keep their detail.",
        DIRECTION,
        f.blended_normals,
        takes=(DIRECTION,),
        brings=Param(
            "top",
            "The bent normal that is laid on top.",
            (0.0, 0.0, 1.0),
            (-1, 1),
            (-1, 1),
            type="direction",
            feed=DIRECTION,
        ),
        params=(Param("amount", "How much of it is laid on.", (1.0,), (0, 1), (0, 1), feed=VALUE),),
        title="blend normals",
        find=("detail normal", "combine normals", "reoriented"),
        source="Barré-Brisebois and Hill, Blending in Detail, 2012",
    ),
    Bead(
        "flatten",
        "directions",
        "How strongly a normal is bent; 0 is the bare surface.",
        DIRECTION,
        f.flattened,
        takes=(DIRECTION,),
        params=(
            Param(
                "strength",
                "0 is the bare surface, over 1 bends more.",
                (0.5,),
                (0, 2),
                (-100, 100),
                "times",
                feed=VALUE,
            ),
        ),
        find=("normal strength", "soften", "reduce"),
    ),
    Bead(
        "scatter-normal",
        "directions",
        "Bends a normal every way by noise: hammered, frosted, rippled.",
        DIRECTION,
        f.scattered,
        takes=(DIRECTION,),
        params=(
            Param("amount", "How far it is bent.", (0.3,), (0, 1), (-100, 100), feed=VALUE),
            replace(SCALE, default=(12.0,), soft=(1, 48)),
            SEED,
        ),
        settings=(octaves(2),),
        title="scatter normal",
        find=("hammered", "frosted", "rough normal", "ripple"),
        source="Perlin 2002",
    ),
    Bead(
        "image-normal",
        "directions",
        "Bends the surface's normal by a normal map of your own.",
        DIRECTION,
        f.image_normal,
        takes=(COORDS,),
        params=(
            Param(
                "strength",
                "0 is the bare surface, over 1 steeper than the map.",
                (1.0,),
                (0, 2),
                (-100, 100),
                "times",
                feed=VALUE,
            ),
            DETAIL,
            BLEND,
        ),
        settings=(PICTURE, Setting("flip_green", "For maps whose green points down.", False), WRAP, SEAMS, FILTER),
        title="image of normals",
        find=("normal map", "texture", "tangent space", "file"),
    ),
)
