"""One octave of 3D gradient noise over 512×512: this project's kernel, NumPy, and C."""

import ctypes
import shutil
import subprocess
import tempfile
from pathlib import Path

import numpy as np

from bench import best
from whorl.fields.noise import SCALE3, noise3
from whorl.shade.kernel import kernel
from whorl.shade.machine import assembly

N = 512 * 512

C = r"""
#include <math.h>
#include <stdint.h>
static inline uint32_t pcg(uint32_t v) {
  uint32_t s = v * 747796405u + 2891336453u;
  uint32_t w = ((s >> ((s >> 28) + 4u)) ^ s) * 277803737u;
  return (w >> 22) ^ w;
}
static inline float fade(float t) { return t * t * t * (t * (t * 6.0f - 15.0f) + 10.0f); }
static inline float mixf(float a, float b, float t) { return a * (1.0f - t) + b * t; }
static inline float corner(uint32_t h, float x, float y, float z) {
  uint32_t k = h >> 28;
  float u = k < 8 ? x : y;
  float v = k < 4 ? y : ((k & 13) == 12 ? x : z);
  return ((k & 1) ? -u : u) + ((k & 2) ? -v : v);
}
static inline float wrapped(float c, float p) { return c - p * floorf((c + 0.5f) / fmaxf(p, 1.0f)); }
void noise(int n, const float *restrict px, const float *restrict py, const float *restrict pz,
           float ax, float ay, float az, uint32_t seed, float scale, float *restrict out) {
  for (int i = 0; i < n; i++) {
    float cx = floorf(px[i]), cy = floorf(py[i]), cz = floorf(pz[i]);
    float dx = px[i] - cx, dy = py[i] - cy, dz = pz[i] - cz;
    uint32_t x0 = (int)wrapped(cx, ax), x1 = (int)wrapped(cx + 1, ax);
    uint32_t y0 = (int)wrapped(cy, ay), y1 = (int)wrapped(cy + 1, ay);
    uint32_t z0 = (int)wrapped(cz, az), z1 = (int)wrapped(cz + 1, az);
    uint32_t a = pcg(x0 + seed), b = pcg(x1 + seed);
    uint32_t a0 = pcg(y0 + a), a1 = pcg(y1 + a), b0 = pcg(y0 + b), b1 = pcg(y1 + b);
    float ex = dx - 1, ey = dy - 1, ez = dz - 1, sx = fade(dx), sy = fade(dy), sz = fade(dz);
    float g00 = mixf(corner(pcg(z0 + a0), dx, dy, dz), corner(pcg(z1 + a0), dx, dy, ez), sz);
    float g01 = mixf(corner(pcg(z0 + a1), dx, ey, dz), corner(pcg(z1 + a1), dx, ey, ez), sz);
    float g10 = mixf(corner(pcg(z0 + b0), ex, dy, dz), corner(pcg(z1 + b0), ex, dy, ez), sz);
    float g11 = mixf(corner(pcg(z0 + b1), ex, ey, dz), corner(pcg(z1 + b1), ex, ey, ez), sz);
    out[i] = mixf(mixf(g00, g01, sy), mixf(g10, g11, sy), sx) * scale;
  }
}
"""


def numpy_noise(p: list[np.ndarray], seed: int) -> np.ndarray:
    """The same noise in plain NumPy, without a period."""

    def pcg(v: np.ndarray) -> np.ndarray:
        s = v * np.uint32(747796405) + np.uint32(2891336453)
        w = ((s >> ((s >> np.uint32(28)) + np.uint32(4))) ^ s) * np.uint32(277803737)
        return (w >> np.uint32(22)) ^ w

    def corner(h: np.ndarray, x: np.ndarray, y: np.ndarray, z: np.ndarray) -> np.ndarray:
        k = h >> np.uint32(28)
        u = np.where(k < 8, x, y)
        v = np.where(k < 4, y, np.where((k & 13) == 12, x, z))
        return np.where(k & 1, -u, u) + np.where(k & 2, -v, v)

    cell = [np.floor(a) for a in p]
    d = [a - c for a, c in zip(p, cell, strict=True)]
    fade = [t * t * t * (t * (t * 6 - 15) + 10) for t in d]
    at = [[c.astype(np.int32).astype(np.uint32) + np.uint32(k) for k in (0, 1)] for c in cell]
    total: list[np.ndarray] = []
    for i in (0, 1):
        hx = pcg(at[0][i] + np.uint32(seed))
        for j in (0, 1):
            hy = pcg(at[1][j] + hx)
            total += [corner(pcg(at[2][k] + hy), d[0] - i, d[1] - j, d[2] - k) for k in (0, 1)]
    for t in reversed(fade):
        total = [total[n] * (1 - t) + total[n + 1] * t for n in range(0, len(total), 2)]
    return total[0] * np.float32(SCALE3)


PLAIN = (("values", 0),)


def main() -> None:
    """Prints ms, ratios, and whether the kernel is made of vector instructions."""
    rng = np.random.default_rng(1)
    p = [rng.uniform(-20, 20, N).astype(np.float32) for _ in range(3)]
    out = [np.empty(N, np.float32)]
    k = kernel(noise3, PLAIN, (True, False, False))
    k(N, [p, (0.0, 0.0, 0.0), (5.0,)], out)
    ours = best(lambda: k(N, [p, (0.0, 0.0, 0.0), (5.0,)], out))
    theirs = best(lambda: numpy_noise(p, 5), 3)
    gap = float(np.abs(numpy_noise(p, 5) - out[0]).max())
    print(f"this project's kernel   {ours:7.2f} ms   1 thread")
    print(f"plain NumPy             {theirs:7.2f} ms   {theirs / ours:.1f} × ours; results differ by {gap:.1e} at most")
    c = c_noise(p)
    if c is not None:
        print(f"C, -O3 -march=native    {c:7.2f} ms   ours is {ours / c:.2f} × C (wanted: under 4)")
    else:
        print("C                       no compiler here")
    vectors = vector_instructions()
    print(f"vector instructions     {vectors} that name ymm or zmm registers in the kernel")


def c_noise(p: list[np.ndarray]) -> float | None:
    """Ms of the C version, or None without a compiler."""
    compiler = shutil.which("cc") or shutil.which("gcc")
    if compiler is None:
        return None
    with tempfile.TemporaryDirectory() as folder:
        source, library = Path(folder) / "noise.c", Path(folder) / "noise.so"
        source.write_text(C)
        flags = ["-O3", "-march=native", "-ffast-math", "-shared", "-fPIC"]
        subprocess.run([compiler, *flags, str(source), "-o", str(library), "-lm"], check=True)
        call = ctypes.CDLL(str(library)).noise
        out = np.empty(N, np.float32)
        pointers = [a.ctypes.data_as(ctypes.c_void_p) for a in (*p, out)]
        f = ctypes.c_float
        args = (*pointers[:3], f(0), f(0), f(0), ctypes.c_uint32(5), f(SCALE3), pointers[3])
        return best(lambda: call(N, *args))


def vector_instructions() -> int:
    """How many of the kernel's instructions work on vectors."""
    text = assembly(kernel(noise3, PLAIN, (True, False, False)).source())
    return sum("ymm" in line or "zmm" in line for line in text.splitlines())
