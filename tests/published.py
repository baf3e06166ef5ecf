"""What the front end's tests are given: the catalogue, and the references that the core finds in each demo effect."""

import json
from pathlib import Path

from whorl import demo
from whorl.api.catalogue import catalogue
from whorl.effect.places import references
from whorl.fields.levers import AS_IT_IS, EASED, EVEN, WHOLE, levered


def main() -> None:
    """Writes build/catalogue.json."""
    found = []
    for slug in demo.slugs():
        effect = demo.demo(slug)
        places = [f"{r.place} {r.kind} {r.id} {r.gone}" for r in references(effect)]
        found.append({"document": effect.model_dump(mode="json"), "found": places})
    ends = (0.0, 4.0, -1.0, 7.5, -0.5, 6.0)
    made = [
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
    data = {"catalogue": catalogue().model_dump(mode="json"), "references": found, "levered": made}
    out.write_text(json.dumps(data), encoding="utf-8")


if __name__ == "__main__":
    main()
