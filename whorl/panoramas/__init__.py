"""Panoramas that come with Whorl: light from all round, painted by `paint.py` and kept as OpenEXR."""

from dataclasses import dataclass
from importlib.resources import files


@dataclass(frozen=True)
class Panorama:
    """One of them: its name as a file, what it is called, and what light it gives."""

    slug: str
    name: str
    words: str

    @property
    def data(self) -> bytes:
        """Its file."""
        return (files(__name__) / f"{self.slug}.exr").read_bytes()


PANORAMAS = {
    p.slug: p
    for p in (
        Panorama("studio-boxes", "Studio boxes", "three soft boxes in a dark room"),
        Panorama("bright-overcast", "Bright overcast", "a white sky over grey ground"),
        Panorama("dusk-harbour", "Dusk harbour", "a low sun over water, lamps along the quay"),
        Panorama("night-with-lamps", "Night with lamps", "a ring of warm lamps under a moon"),
        Panorama("window-room", "Window room", "a cool window at the left, a warm lamp at the right"),
        Panorama("northern-lights", "Northern lights", "green curtains over a dark horizon"),
    )
}
