"""How a camera goes beside where it stands."""

from whorl.shade import Fixed, clamp, f32, i32, shade

#: A number of the camera goes on by so much, or to so many times what it is.
BESIDE, TIMES = 0, 1


@shade
def travelled(stands: f32, gone: f32, least: f32, most: f32, way: Fixed[i32]) -> f32:
    """A number of the camera that has gone so far, held within what it may be.

    >>> travelled(80.0, 30.0, -89.0, 89.0, 0), travelled(4.0, 1.5, 0.5, 100.0, 1)
    (89.0, 6.0)
    """
    made = stands * gone if way == TIMES else stands + gone
    return clamp(made, least, most)
