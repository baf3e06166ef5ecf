"""Ready stages: light, sky, backdrop and exposure to try an effect in. Shape and camera stay."""

from whorl.effect.stage import Backdrop, Floor, Lamp, Lamps, Neighbours, Placed, Post, Sky
from whorl.effect.value import Model
from whorl.shapes import SHAPES


class ReadyStage(Model):
    """One place to look at an effect in."""

    name: str
    words: str
    lamps: Lamps = Lamps()
    sky: Sky = Sky()
    backdrop: Backdrop = Backdrop(kind="plain")
    exposure: float = 0.0
    #: What stands there; what stood before stays where this says nothing.
    neighbours: Neighbours | None = None


_OFF = Lamp(on=False)

READY = (
    ReadyStage(name="studio", words="Key, fill and rim before grey.", backdrop=Backdrop()),
    ReadyStage(
        name="bright day",
        words="A high sun under a blue sky: does the glow still read?",
        lamps=Lamps(key=Lamp(yaw=35.0, pitch=58.0, colour=[1.0, 0.96, 0.88], strength=3.0), fill=_OFF, rim=_OFF),
        sky=Sky(zenith=[0.22, 0.42, 0.85], horizon=[0.72, 0.82, 0.92], ground=[0.26, 0.23, 0.19]),
        backdrop=Backdrop(kind="plain", colour=[0.42, 0.52, 0.62]),
        exposure=-0.4,
    ),
    ReadyStage(
        name="dusk",
        words="A low orange sun and a sky that has almost gone.",
        lamps=Lamps(
            key=Lamp(yaw=-68.0, pitch=9.0, colour=[1.0, 0.5, 0.22], strength=1.8),
            fill=Lamp(yaw=75.0, pitch=25.0, colour=[0.35, 0.45, 0.9], strength=0.3),
            rim=Lamp(yaw=150.0, pitch=14.0, colour=[1.0, 0.42, 0.25], strength=0.8),
        ),
        sky=Sky(zenith=[0.07, 0.09, 0.22], horizon=[0.6, 0.27, 0.15], ground=[0.045, 0.036, 0.04]),
        backdrop=Backdrop(kind="plain", colour=[0.05, 0.04, 0.06]),
    ),
    ReadyStage(
        name="black",
        words="No light but the effect's own.",
        lamps=Lamps(key=_OFF, fill=_OFF, rim=_OFF),
        sky=Sky(strength=0.0),
        backdrop=Backdrop(kind="plain", colour=[0.0, 0.0, 0.0]),
    ),
    ReadyStage(
        name="waterline",
        words="Dark water through the middle and a pile standing in it: does the contact read?",
        lamps=Lamps(
            key=Lamp(yaw=-50.0, pitch=34.0, colour=[0.8, 0.9, 1.0], strength=1.2),
            fill=_OFF,
            rim=Lamp(yaw=150.0, pitch=22.0, colour=[1.0, 0.8, 0.55], strength=0.8),
        ),
        sky=Sky(zenith=[0.08, 0.12, 0.18], horizon=[0.2, 0.22, 0.24], ground=[0.01, 0.014, 0.016]),
        backdrop=Backdrop(kind="gradient", colour=[0.05, 0.06, 0.075], second=[0.015, 0.02, 0.032]),
        neighbours=Neighbours(
            floor=Floor(on=True, height=-0.25, colour=[0.03, 0.055, 0.06], finish="plain"),
            post=Post(on=True, foot=[0.85, -1.0, 0.3], tall=1.7),
        ),
    ),
)

#: A made-up figure of two arms' and two legs' length, its feet on the floor as that lies at first.
FIGURE = tuple(
    Placed(
        id=name.lower().replace(" ", "-"),
        name=name,
        form=form,
        position=at,
        size=size,
        yaw=yaw,
        pitch=pitch,
        colour=colour,
    )
    for name, form, at, size, yaw, pitch, colour in (
        ("Head", "ball", (-0.75, -0.02, 0.5), (0.24, 0.24, 0.24), 0.0, 90.0, (0.42, 0.3, 0.22)),
        ("Trunk", "capsule", (-0.75, -0.37, 0.5), (0.3, 0.56, 0.3), 0.0, 90.0, (0.12, 0.16, 0.2)),
        ("Left arm", "capsule", (-0.98, -0.4, 0.52), (0.09, 0.52, 0.09), -90.0, 72.0, (0.12, 0.16, 0.2)),
        ("Right arm", "capsule", (-0.52, -0.4, 0.52), (0.09, 0.52, 0.09), 90.0, 72.0, (0.12, 0.16, 0.2)),
        ("Left leg", "capsule", (-0.84, -0.76, 0.5), (0.13, 0.48, 0.13), 0.0, 90.0, (0.09, 0.08, 0.08)),
        ("Right leg", "capsule", (-0.66, -0.76, 0.5), (0.13, 0.48, 0.13), 0.0, 90.0, (0.09, 0.08, 0.08)),
    )
)


class Condition(Model):
    """A way to look at an effect in which effects tend to fail: under a ready stage, with another camera, on another
    shape.

    `camera` replaces numbers of the camera, `turned` adds to its yaw; a shape in `instead` has its own.
    """

    name: str
    stage: str | None = None
    shape: str | None = None
    turned: float = 0.0
    camera: dict[str, float] = {}
    instead: dict[str, dict[str, float]] = {}


#: What is less bright everywhere cannot be seen on any screen; of what a screen shows at the most.
UNSEEN = 6 / 255

CONDITIONS = (
    Condition(name="bright day", stage="bright day"),
    Condition(name="the black", stage="black"),
    Condition(name="from behind", turned=180.0),
    # What lies flat is edge-on at eye level, what stands when seen from its side.
    Condition(name="near edge-on", camera={"yaw": 84.0, "pitch": 4.0}, instead={"level": {"pitch": 4.0}}),
)

#: On every shape that needs no file; what lies flat is seen from above.
ON_SHAPES = tuple(
    Condition(name=name, shape=name, camera={"pitch": 35.0} if shape.close == "above" else {})
    for name, shape in SHAPES.items()
    if name != "mesh"
)
