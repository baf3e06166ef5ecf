"""The types of the shading language."""

from dataclasses import dataclass


@dataclass(frozen=True)
class ShadeType:
    """A type by its name in the subset; `size` counts its components, which are all of the kind `scalar`.

    A record has `fields`, by name, which are floats and vectors.
    """

    name: str
    size: int
    scalar: str
    fields: tuple[tuple[str, "ShadeType"], ...] = ()

    @property
    def is_vector(self) -> bool:
        return self in VECTORS.values()

    @property
    def rows(self) -> int:
        """How many rows of Vec4 a table has; 0 for what is none."""
        return self.size // 4 if self in TABLES.values() else 0

    @property
    def is_number(self) -> bool:
        """Whether it takes part in arithmetic."""
        return self in (F32, I32, U32) or self.is_vector

    def field(self, name: str) -> "ShadeType | None":
        """The type of a field of a record."""
        return dict(self.fields).get(name)

    def __str__(self) -> str:
        return self.name


F32 = ShadeType("f32", 1, "f32")
I32 = ShadeType("i32", 1, "i32")
U32 = ShadeType("u32", 1, "u32")
BOOL = ShadeType("bool", 1, "bool")
VEC2 = ShadeType("Vec2", 2, "f32")
VEC3 = ShadeType("Vec3", 3, "f32")
VEC4 = ShadeType("Vec4", 4, "f32")
#: Eight Vec4 rows of uniform data, such as the stops of a ramp.
TABLE8 = ShadeType("Table8", 32, "f32")
#: Sixteen of them, such as the hits of an effect.
TABLE16 = ShadeType("Table16", 64, "f32")
TABLES = {t.size: t for t in (TABLE8, TABLE16)}
#: A picture whose texels are looked up by whole numbers; it stands for all samples alike.
IMAGE = ShadeType("Image", 1, "image")

BY_NAME = {t.name: t for t in (F32, I32, U32, BOOL, VEC2, VEC3, VEC4, TABLE8, TABLE16, IMAGE)}
VECTORS = {2: VEC2, 3: VEC3, 4: VEC4}


def floats(size: int) -> ShadeType:
    """The float type of so many components."""
    return F32 if size == 1 else VECTORS[size]


def record_of(name: str, fields: tuple[tuple[str, ShadeType], ...]) -> ShadeType:
    """The type of a record of floats and vectors."""
    return ShadeType(name, sum(kind.size for _, kind in fields), "f32", fields)
