"""The types of the shading language."""

from dataclasses import dataclass


@dataclass(frozen=True)
class ShadeType:
    """A type by its name in the subset; `size` counts its 32-bit components."""

    name: str
    size: int
    scalar: str

    @property
    def is_vector(self) -> bool:
        return self.size > 1 and self.name != "Table8"

    @property
    def is_number(self) -> bool:
        return self.scalar in ("f32", "i32", "u32")

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

BY_NAME = {t.name: t for t in (F32, I32, U32, BOOL, VEC2, VEC3, VEC4, TABLE8)}
VECTORS = {2: VEC2, 3: VEC3, 4: VEC4}


def floats(size: int) -> ShadeType:
    """The float type of so many components."""
    return F32 if size == 1 else VECTORS[size]
