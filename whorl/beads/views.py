"""What depends on the viewer and on time."""

from whorl.beads.spec import COLOUR, DIRECTION, VALUE, Bead, Param, Setting
from whorl.fields import view

NORMAL = Param(
    "normal",
    "A bent normal to go by; without one, the bare surface.",
    (0.0, 0.0, 1.0),
    (-1, 1),
    (-1, 1),
    type="direction",
    feed=DIRECTION,
)

BEADS = (
    Bead(
        "fresnel",
        "view",
        "Bright where the surface turns away from the viewer.",
        VALUE,
        view.fresnel,
        params=(
            NORMAL,
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
    Bead(
        "vertex-colour",
        "places",
        "The colours that a mesh of your own brings with its vertices; white on all else.",
        COLOUR,
        view.vertex_colour,
        title="vertex colour",
        find=("painted", "mask", "mesh colours", "per vertex"),
        source="glTF 2.0, 3.7.2.1: colours of vertices are linear; those of PLY and OBJ are taken as sRGB",
    ),
    Bead(
        "far-side",
        "view",
        "1 where the back of the surface is seen.",
        VALUE,
        view.far_side,
        title="far side",
        find=("back face", "inside", "behind", "two sided"),
    ),
    Bead(
        "camera-distance",
        "view",
        "How far away the surface is from the camera.",
        VALUE,
        view.camera_distance,
        params=(
            Param("near", "At this distance it is 0.", (2.0,), (0, 8), (0, 10000), "units", feed=VALUE),
            Param("far", "At this distance it is 1.", (6.0,), (0, 16), (0, 10000), "units", feed=VALUE),
        ),
        title="camera distance",
        find=("depth", "fog", "fade", "range"),
        formula="(distance − near) / (far − near)",
    ),
    Bead(
        "phase",
        "view",
        "Where the turn is: 0 at the join, and up to 1, or so many rounds.",
        VALUE,
        view.phase_value,
        params=(
            Param(
                "rounds",
                "How far it goes in a turn: one speed for all that it drives.",
                (1.0,),
                (1, 8),
                (-1000, 1000),
                "a turn",
                whole=True,
                moves=False,
            ),
        ),
        title="phase of the turn",
        find=("time", "clock", "animation", "loop"),
    ),
)
