"""What depends on where the surface stands: its neighbours, its own depth, beacons and light."""

from whorl.beads.spec import COLOUR, COORDS, VALUE, Bead, Param, Setting
from whorl.beads.views import NORMAL
from whorl.fields import beacons, coordinates, hits, lighting, surroundings

BEACON = Setting("beacon", "The beacon it is measured from; with none chosen, the first.", "")


def _reach(words: str, default: float) -> Param:
    return Param("reach", words, (default,), (0.02, 2 * default), (1e-4, 1000), "units", feed=VALUE)


FADE = Param("fade", "After this long nothing of a hit is left.", (1.5,), (0.2, 4), (1e-3, 120), "s")

BEADS = (
    Bead(
        "hits",
        "places",
        "What runs out from where something strikes: rings, discs, or waves.",
        VALUE,
        hits.hits,
        takes=(COORDS,),
        alone="at_object",
        params=(
            Param("speed", "How fast the front runs.", (0.8,), (0.2, 2), (0, 100), "units a second", feed=VALUE),
            Param("width", "How wide a ring or the front is.", (0.12,), (0.02, 0.4), (1e-3, 100), "units", feed=VALUE),
            Param(
                "trail", "How many rings follow, each half as high; how long a wave goes on.", (1.0,), (0, 4), (0, 32)
            ),
            Param("sharpness", "0 is round, 1 a line, −1 a plateau.", (0.0,), (-1, 1), (-1, 1)),
            FADE,
            Param("reach", "Further off than this nothing comes.", (2.0,), (0.3, 4), (1e-3, 1000), "units"),
        ),
        settings=(
            Setting("form", "What runs out.", "ring", options=("ring", "disc", "wave"), by_look=True),
            Setting("sum", "What several hits make together.", "added", options=("added", "greater")),
            Setting("way", "How far it is to a place.", "straight", options=("straight", "along")),
        ),
        find=("ripple", "impact", "shockwave", "splash", "drops", "ring", "event"),
        short="{form} {speed}",
        formula="Σ strength · ring(speed · age − distance) · (1 − age/fade)² · (1 − (distance/reach)²)",
    ),
    Bead(
        "age-of-hit",
        "places",
        "Bright where something has just struck, the same everywhere, and fading after it.",
        VALUE,
        hits.since_hit,
        params=(
            Param("rise", "How long it takes to come up; 0 is a jump.", (0.1,), (0, 0.5), (0, 10), "s"),
            FADE,
        ),
        title="age of hit",
        find=("flash", "impact", "event", "trigger"),
        formula="strength · rise(age/rise) · (1 − age/fade) of the brightest hit",
    ),
    Bead(
        "contact",
        "places",
        "Bright where the surface meets a neighbour: floor, wall, post, ball or another object.",
        VALUE,
        surroundings.touch,
        params=(
            _reach("From this far off it is 0.", 0.3),
            Param("power", "0 fades evenly; higher keeps to the line.", (0.5,), (0, 2), (0, 20), feed=VALUE),
        ),
        find=("intersection", "touch", "waterline", "foam", "proximity", "distance to neighbour"),
        formula="2 ^ (−6 · power · d) · (1 − d), d = distance / reach",
    ),
    Bead(
        "depth-behind",
        "places",
        "How far what lies behind the surface is from it, along the view.",
        VALUE,
        surroundings.depth_share,
        params=(_reach("At this distance it is 1.", 1.0),),
        title="depth behind",
        find=("water depth", "shallows", "shore", "soft edge"),
        formula="distance / reach",
    ),
    Bead(
        "behind",
        "places",
        "What lies behind the surface, as a colour: straight on, or where coordinates of the picture say.",
        COLOUR,
        {},
        takes=(COORDS,),
        params=(
            NORMAL,
            Param("index", "How much it is bent there: 1 nothing, water 1.33.", (1.0,), (1, 1.8), (1, 4), feed=VALUE),
            Param("blur", "How much it is blurred.", (0.0,), (0, 1), (0, 1), feed=VALUE),
        ),
        title="what is behind",
        find=("background", "scene colour", "refraction", "heat haze", "distortion", "grab", "frosted", "backdrop"),
        alone="at_screen",
        looks_behind=True,
    ),
    Bead(
        "thickness",
        "places",
        "How much of the shape lies behind the surface, along the view.",
        VALUE,
        surroundings.thick_share,
        params=(_reach("At this thickness it is 1.", 1.0),),
        find=("body", "inside", "volume", "density"),
        formula="thickness / reach",
    ),
    Bead(
        "from-beacon",
        "coordinates",
        "Coordinates measured from a beacon: y runs along its axis.",
        COORDS,
        beacons.from_beacon,
        settings=(BEACON,),
        period=coordinates.no_period,
        title="from a beacon",
        find=("placed", "local", "origin", "anchor"),
    ),
    Bead(
        "beacon-distance",
        "places",
        "How far off a beacon is: from its point, along or round its axis, or by angle.",
        VALUE,
        beacons.beacon_distance,
        params=(
            Param("start", "Here it is 0.", (0.0,), (-1, 1), (-1000, 1000), "units", feed=VALUE),
            Param("end", "Here it is 1.", (1.0,), (0, 2), (-1000, 1000), "units", feed=VALUE),
        ),
        settings=(
            BEACON,
            Setting(
                "shape",
                "What is measured; by angle, start and end are degrees.",
                "ball",
                options=("ball", "slab", "tube", "cone"),
            ),
        ),
        title="beacon distance",
        find=("ball", "radial", "gradient", "falloff", "proximity", "reveal"),
        formula="(d − start) / (end − start)",
    ),
    Bead(
        "light",
        "places",
        "How much light falls on the surface from lamps and sky.",
        VALUE,
        lighting.light_on,
        params=(NORMAL,),
        settings=(
            Setting("of", "Which light.", "all", options=("all", "key", "fill", "rim", "sky")),
            Setting("wrapped", "Lamps reach half round to the dark side.", False),
        ),
        find=("lambert", "n dot l", "shading", "terminator", "shadow side"),
        formula="n · l, as brightness",
    ),
)
