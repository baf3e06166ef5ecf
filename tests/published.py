"""What the front end's tests are given: the catalogue, and the references that the core finds in each demo effect."""

import json
from pathlib import Path

from tests.documents import bead, effect, strand
from whorl import demo
from whorl.api.catalogue import catalogue
from whorl.effect import Effect
from whorl.effect.places import references
from whorl.fields.levers import AS_IT_IS, EASED, EVEN, WHOLE, levered


def chosen() -> Effect:
    """An effect with what no demo effect has: a choice that sets a number, a picture and a beacon, and a dyed stop."""
    buoy = {"id": "buoy", "name": "Buoy", "position": [0, 1, 0]}
    bay = {"id": "bay", "name": "bay.png", "hash": "a" * 64, "width": 2, "height": 2}
    puts = [
        {"place": "strands/photo/image/picture", "value": "bay"},
        {"place": "strands/near/beacon-distance/beacon", "value": "buoy"},
        {"place": "strands/near/beacon-distance/end", "value": 2.0},
        {"place": "beacons/buoy/position", "value": [0, 0, 1]},
        {"place": "surface/gain", "value": 2.0},
    ]
    levers = [
        {"id": "look", "name": "Look", "kind": "choice", "options": [{"name": "Bay", "puts": puts}]},
        {"id": "dye", "name": "Dye", "kind": "colour"},
    ]
    stops = [{"at": 0, "colour": [0, 0, 0]}, {"at": 1, "colour": [1, 1, 1], "lever": "dye"}]
    near = strand("near", bead("beacon-distance", settings={"beacon": "buoy"}), bead("ramp", stops=stops))
    photo = strand("photo", bead("uv"), bead("image", settings={"picture": "bay"}))
    return effect(near, photo, beacons=[buoy], assets=[bay], levers=levers)


def main() -> None:
    """Writes build/catalogue.json."""
    found = []
    for made in [*map(demo.demo, demo.slugs()), chosen()]:
        places = [f"{r.place} {r.kind} {r.id} {r.gone}" for r in references(made)]
        found.append({"document": made.model_dump(mode="json"), "found": places})
    ends = (0.0, 4.0, -1.0, 7.5, -0.5, 6.0)
    levers = [
        {"given": [x, *ends], "way": way, "made": levered(x, *ends, ease, whole)}
        for x in (-3.0, 0.0, 0.4, 1.0, 2.6, 4.0, 9.0)
        for way, ease, whole in (
            ("linear", EVEN, AS_IT_IS),
            ("linear whole", EVEN, WHOLE),
            ("eased", EASED, AS_IT_IS),
            ("eased whole", EASED, WHOLE),
        )
    ]
    out = Path(__file__).parents[1] / "build" / "catalogue.json"
    out.parent.mkdir(exist_ok=True)
    data = {"catalogue": catalogue().model_dump(mode="json"), "references": found, "levered": levers}
    out.write_text(json.dumps(data), encoding="utf-8")


if __name__ == "__main__":
    main()
