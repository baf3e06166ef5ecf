"""The rasteriser against brute force: which triangle each sample sees, and how fragments are composed."""

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from whorl.effect.camera import axes, eye, view_projection
from whorl.effect.stage import Camera
from whorl.shapes import shape
from whorl.shapes.mesh import Mesh
from whorl.stage.raster import BAND, Canvas, Fragments, Seen

#: Where in its pixel each of the four samples lies, right and down: on four rows and four columns.
SAMPLES = np.array([[0.125, 0.375], [0.625, 0.125], [0.375, 0.875], [0.875, 0.625]])


def through(mesh, camera, size):
    return Seen.through(mesh, view_projection(camera, size, size), eye(camera))


def soup(rng, count):
    """Triangles that lie anyhow and run through one another."""
    positions = rng.uniform(-1, 1, (count * 3, 3)).astype(np.float32)
    normals = np.tile(np.float32([0, 0, 1]), (count * 3, 1))
    uvs = rng.uniform(0, 1, (count * 3, 2)).astype(np.float32)
    return Mesh(positions, normals, uvs, np.arange(count * 3, dtype=np.int32).reshape(-1, 3))


def nearest(mesh, camera, size, front):
    """By rays: per sample the distance along the view of the nearest triangle of one side, ∞ where none is."""
    matrix = view_projection(camera, size, size)
    y, x, s = np.meshgrid(np.arange(size), np.arange(size), np.arange(4), indexing="ij")
    place = np.stack([x, y], axis=-1) + SAMPLES[s]
    flat = np.stack([place[..., 0] / size * 2 - 1, 1 - place[..., 1] / size * 2], axis=-1)
    ends = np.concatenate([flat, np.full((*flat.shape[:-1], 1), 0.5), np.ones((*flat.shape[:-1], 1))], axis=-1)
    far = ends @ np.linalg.inv(matrix).T
    origin = eye(camera)
    ray = far[..., :3] / far[..., 3:] - origin
    ray /= np.linalg.norm(ray, axis=-1, keepdims=True)
    least = np.full(ray.shape[:-1], np.inf)
    for a, b, c in mesh.positions.astype(np.float64)[mesh.triangles]:
        # Möller and Trumbore, 1997.
        e1, e2 = b - a, c - a
        p = np.cross(ray, e2)
        det = p @ e1
        t0 = origin - a
        u, q = (p @ t0) / det, np.cross(t0, e1)
        v, t = (ray @ q) / det, (q @ e2) / det
        hit = (u >= 0) & (v >= 0) & (u + v <= 1) & (t > 0) & ((det > 0) == front)
        least = np.where(hit & (t < least), t, least)
    return least


@pytest.mark.parametrize("front", [True, False])
def test_each_sample_sees_the_triangle_that_a_ray_meets_first(front):
    rng = np.random.default_rng(11)
    camera, size = Camera(yaw=25, pitch=-10, distance=4), 40
    mesh = soup(rng, 14)
    got = through(mesh, camera, size).fragments(size, size, front)
    expected = nearest(mesh, camera, size, front)
    # Each sample is some fragment's, or nobody's.
    owner = np.full((size * size, 4), -1)
    for s in range(4):
        has = np.flatnonzero(got.samples >> s & 1)
        assert len(np.unique(got.pixels[has])) == len(has)
        owner[got.pixels[has], s] = has
    covered = owner.reshape(size, size, 4) >= 0
    assert (covered != np.isfinite(expected)).mean() < 2e-4
    # A fragment's place is its triangle's at the pixel's middle: near to where the ray met it.
    both = covered & np.isfinite(expected)
    distance = got.points["at_distance"][0][np.maximum(owner, 0)].reshape(size, size, 4)
    assert np.quantile(np.abs(distance - expected)[both], 0.9) < 0.06


@pytest.mark.parametrize("name", ["ball", "icosphere", "box", "ring"])
def test_closed_shapes_have_no_cracks_and_both_sides_cover_the_same_samples(name):
    camera, size = Camera(yaw=33, pitch=21, distance=3.2), 96
    seen = through(shape(name), camera, size)
    masks = []
    for front in (True, False):
        f = seen.fragments(size, size, front)
        real = f.pixels >= 0
        mask = np.zeros(size * size, int)
        np.bitwise_or.at(mask, f.pixels[real], f.samples[real])
        masks.append(mask)
    apart = masks[0] != masks[1]
    assert apart.sum() <= 2
    # Inside the outline every sample is covered.
    whole = (masks[0] == 15).reshape(size, size)
    assert whole.sum() > 500


def test_bands_and_threads_make_no_difference():
    camera, size = Camera(yaw=-40, pitch=35, distance=3), BAND * 2 + 17
    seen = through(shape("ring"), camera, size)
    one, two = (seen.fragments(size, size, True, threads) for threads in (1, 3))
    assert (one.pixels == two.pixels).all() and (one.samples == two.samples).all()
    for name, rows in one.points.items():
        for a, b in zip(rows, two.points[name], strict=True):
            assert (a == b).all()
    assert (seen.behind(size, size, 1) == seen.behind(size, size, 3)).all()


def test_where_faces_meet_at_an_edge_each_has_its_own_fragment_of_the_pixel():
    camera, size = Camera(yaw=45, pitch=0, distance=5), 33
    f = through(shape("box"), camera, size).fragments(size, size, True)
    column = f.pixels % size == size // 2
    middle = column & (f.samples > 0) & (np.abs(f.points["at_object"][1]) < 0.5)
    # The upright edge runs down the middle column: two faces to each pixel, which share its samples.
    for pixel in np.unique(f.pixels[middle]):
        own = np.flatnonzero(middle & (f.pixels == pixel))
        normals = np.array(f.points["at_normal"])[:, own]
        assert len(own) >= 2 and np.bitwise_or.reduce(f.samples[own]) == 15 and f.samples[own].astype(int).sum() == 15
        assert np.abs(normals[:, :1] - normals).max() > 0.5


def test_the_far_side_of_a_ball_lies_where_the_line_of_sight_leaves_it():
    camera, size = Camera(yaw=12, pitch=8, distance=4), 48
    far = through(shape("icosphere", 1), camera, size).behind(size, size)
    there = far[3] > 0
    y, x = np.divmod(np.flatnonzero(there), size)
    flat = np.stack([(x + 0.5) / size * 2 - 1, 1 - (y + 0.5) / size * 2, np.full(len(x), 0.5), np.ones(len(x))])
    ends = np.linalg.inv(view_projection(camera, size, size)) @ flat
    ray = ends[:3] / ends[3] - eye(camera)[:, None]
    ray /= np.linalg.norm(ray, axis=0)
    b = eye(camera) @ ray
    root = np.sqrt(np.maximum(b**2 - (eye(camera) @ eye(camera) - 1), 0))
    deep = root > 0.2
    assert far[3, there][deep] == pytest.approx((-b + root)[deep], abs=5e-3)
    left = eye(camera)[:, None] + ray * (-b + root)
    assert far[:3, there][:, deep] == pytest.approx(left[:, deep], abs=0.02)
    assert there.sum() == pytest.approx(np.pi * (size / 2 / np.tan(np.radians(17)) / np.sqrt(15)) ** 2, rel=0.01)


@pytest.mark.parametrize("yaw", [-180, -70.5, 0, 33, 90, 179])
@pytest.mark.parametrize("pitch", [-89, -20, 0, 45.25, 89])
def test_a_camera_is_turned_by_its_yaw_about_an_axis_that_stands_and_its_pitch_about_one_that_lies(yaw, pitch):
    turned = Rotation.from_euler("YX", [yaw, -pitch], degrees=True).as_matrix()
    assert axes(Camera(yaw=yaw, pitch=pitch)) == pytest.approx(turned.T, abs=1e-12)


def test_layers_are_composed_sample_by_sample():
    rng = np.random.default_rng(4)
    pixels = 12
    scene = rng.uniform(0, 1, (4, 3, 4)).astype(np.float32)
    fine = np.repeat(scene.reshape(4, 1, pixels), 4, axis=1).astype(np.float64)
    canvas = Canvas(scene)
    for _layer in range(3):
        # Each pixel is whole, or shared by two fragments, or only partly covered.
        cut = rng.choice([15, 0b0101, 0b1110, 0], pixels)
        rest = np.where(rng.random(pixels) < 0.5, 15 - cut, 0)
        at = np.concatenate([np.arange(pixels), np.arange(pixels)]).astype(np.int32)
        samples = np.concatenate([cut, rest]).astype(np.uint8)
        alpha = rng.uniform(0, 1, len(at)).astype(np.float32)
        light = [rng.uniform(0, 2, len(at)).astype(np.float32) * alpha for _ in range(3)]
        canvas.lay(Fragments(at, samples, {}), [*light, alpha])
        for i, pixel in enumerate(at):
            for s in range(4):
                if samples[i] >> s & 1:
                    own = np.array([*(c[i] for c in light), alpha[i]])
                    fine[:, s, pixel] = own + fine[:, s, pixel] * (1 - alpha[i])
    canvas.done()
    assert scene.reshape(4, pixels) == pytest.approx(fine.mean(axis=1), abs=1e-5)


def test_triangles_of_no_area_and_pixels_off_the_picture_are_no_fragments():
    flat = Mesh(
        np.float32([[0, 0, 0], [1, 0, 0], [2, 0, 0], [-1, -1, 0], [1, -1, 0], [0, 1, 0]]),
        np.tile(np.float32([0, 0, 1]), (6, 1)),
        np.zeros((6, 2), np.float32),
        np.int32([[0, 1, 2], [3, 3, 4], [3, 4, 5]]),
    )
    for size in (1, 7, 33):
        f = through(flat, Camera(distance=3), size).fragments(size, size, True)
        assert f.pixels.max() < size * size and (f.samples[f.pixels < 0] == 0).all()
        assert f.coverage.sum() > 0
        for rows in f.points.values():
            assert np.isfinite(rows).all()
    # Off to the side there is nothing at all.
    aside = through(flat, Camera(distance=3, target=[40, 0, 0]), 16)
    assert len(aside.fragments(16, 16, True).pixels) == 0 and not aside.behind(16, 16).any()
