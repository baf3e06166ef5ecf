"""Code that is given away, run on a graphics driver: a picture whose pixels are surface points."""

import subprocess
import tempfile
from functools import lru_cache
from pathlib import Path

import numpy as np
import wgpu

from whorl.plan.graph import POINTS
from whorl.plan.print.code import Code
from whorl.shade.types import VEC3

_FORMAT = wgpu.TextureFormat.rgba32float


@lru_cache(maxsize=1)
def device():
    adapter = wgpu.gpu.request_adapter_sync(force_fallback_adapter=True)
    return adapter.request_device_sync()


def laid(points: dict) -> dict[str, np.ndarray]:
    """Surface points in quads as pictures, each quad where a driver has one."""
    quads = len(points["at_uv"][0]) // 4
    wide = max(1, int(np.sqrt(quads)))
    high = -(-quads // wide)
    out = {}
    for name, rows in points.items():
        picture = np.zeros((high * 2, wide * 2, 4), np.float32)
        for k, row in enumerate(rows):
            filled = np.zeros(wide * high * 4, np.float32)
            filled[: len(row)] = row
            picture[..., k] = filled.reshape(high, wide, 2, 2).transpose(0, 2, 1, 3).reshape(high * 2, wide * 2)
        out[name] = picture
    return out


def taken(picture: np.ndarray, count: int) -> np.ndarray:
    """What was drawn, as the points were given: (points, components)."""
    high, wide = picture.shape[:2]
    return (
        picture.reshape(high // 2, 2, wide // 2, 2, -1).transpose(0, 2, 1, 3, 4).reshape(-1, picture.shape[2])[:count]
    )


def values(code: Code, phase: float, given: dict | None = None, frame: int = 0) -> bytes:
    """The parameters in a buffer."""
    size = 16 * (-(-(max(code.offsets.values()) + 4 * 64) // 16))
    data = np.zeros(size // 4, np.float32)
    for p in code.parameters:
        value = p.rows[frame % len(p.rows)] if p.rows else p.value
        value = (given or {}).get(p.name, value)
        if p.name == "phase":
            value = (phase,)
        at = code.offsets[p.name] // 4
        data[at : at + len(value)] = value
    return data.tobytes()


def drawn(
    language: str, code: Code, first: str, shown: list[str], points: dict, buffer: bytes, images: dict | None = None
) -> list[np.ndarray]:
    """What a fragment program makes of each point: one array for each of `shown`, expressions of four numbers that
    know the point as `at`, after a line `first`. They are drawn below one another, so that a driver compiles once."""
    count = len(points["at_uv"][0])
    pictures = laid(points)
    names = [m.name for m in code.entry.point.members]
    fields = {m.name: ("at_" + m.name.rstrip("_"), m.type) for m in code.entry.point.members}
    d = device()
    high, wide = pictures["at_uv"].shape[:2]
    fragment = (_wgsl if language == "wgsl" else _spirv)(code, names, first, shown, high)
    vertex = d.create_shader_module(code=_VERTEX)
    made = d.create_shader_module(code=fragment)
    entries, layout = [], []
    uniform = d.create_buffer_with_data(data=buffer, usage=wgpu.BufferUsage.UNIFORM)
    layout.append({"binding": 0, "visibility": wgpu.ShaderStage.FRAGMENT, "buffer": {"type": "uniform"}})
    entries.append({"binding": 0, "resource": {"buffer": uniform, "offset": 0, "size": len(buffer)}})
    given = [(8 + i, pictures[fields[name][0]]) for i, name in enumerate(names)]
    assert all(fields[name][0] in POINTS for name in names)
    given += [(1 + i, (images or {})[name]) for i, name in enumerate(code.pictures)]
    for binding, values in given:
        size = (values.shape[1], values.shape[0], 1)
        texture = d.create_texture(
            size=size, format=_FORMAT, usage=wgpu.TextureUsage.TEXTURE_BINDING | wgpu.TextureUsage.COPY_DST
        )
        d.queue.write_texture(
            {"texture": texture},
            np.ascontiguousarray(values, np.float32),
            {"bytes_per_row": size[0] * 16, "rows_per_image": size[1]},
            size,
        )
        kind = {"sample_type": "unfilterable-float", "view_dimension": "2d"}
        layout.append({"binding": binding, "visibility": wgpu.ShaderStage.FRAGMENT, "texture": kind})
        entries.append({"binding": binding, "resource": texture.create_view()})
    group = d.create_bind_group_layout(entries=layout)
    bound = d.create_bind_group(layout=group, entries=entries)
    tall = high * len(shown)
    target = d.create_texture(
        size=(wide, tall, 1), format=_FORMAT, usage=wgpu.TextureUsage.RENDER_ATTACHMENT | wgpu.TextureUsage.COPY_SRC
    )
    pipeline = d.create_render_pipeline(
        layout=d.create_pipeline_layout(bind_group_layouts=[group]),
        vertex={"module": vertex, "entry_point": "corner", "buffers": []},
        fragment={"module": made, "entry_point": "main", "targets": [{"format": _FORMAT}]},
        primitive={"topology": "triangle-list"},
    )
    encoder = d.create_command_encoder()
    ran = encoder.begin_render_pass(
        color_attachments=[
            {"view": target.create_view(), "load_op": "clear", "store_op": "store", "clear_value": (0, 0, 0, 0)}
        ]
    )
    ran.set_pipeline(pipeline)
    ran.set_bind_group(0, bound)
    ran.draw(3)
    ran.end()
    d.queue.submit([encoder.finish()])
    across = -(-wide * 16 // 256) * 256
    data = d.queue.read_texture({"texture": target}, {"bytes_per_row": across, "rows_per_image": tall}, (wide, tall, 1))
    got = np.frombuffer(data, np.float32).reshape(tall, across // 4)[:, : wide * 4].reshape(tall, wide, 4)
    return [taken(part, count) for part in np.split(got, len(shown))]


_VERTEX = """
@vertex fn corner(@builtin(vertex_index) i: u32) -> @builtin(position) vec4<f32> {
  return vec4<f32>(f32((i << 1u) & 2u) * 2.0 - 1.0, f32(i & 2u) * 2.0 - 1.0, 0.0, 1.0);
}
"""


def _wgsl(code: Code, names: list[str], first: str, shown: list[str], high: int) -> str:
    point, params = code.entry.point, code.entry.params
    letters = {m.name: "xyz" if m.type == VEC3 else "x" if m.type.size == 1 else "xyzw" for m in point.members}
    return "\n".join(
        [
            code.functions,
            f"@group(0) @binding(0) var<uniform> u_params: {params.name};",
            *(f"@group(0) @binding({1 + i}) var u_{n}: texture_2d<f32>;" for i, n in enumerate(code.pictures)),
            *(f"@group(0) @binding({8 + i}) var from_{n}: texture_2d<f32>;" for i, n in enumerate(names)),
            "@fragment fn main(@builtin(position) here: vec4<f32>) -> @location(0) vec4<f32> {",
            f"  var at: {point.name};",
            f"  let spot = vec2<i32>(i32(here.x), i32(here.y) % {high});",
            f"  let which = i32(here.y) / {high};",
            *(f"  at.{n} = textureLoad(from_{n}, spot, 0).{letters[n]};" for n in names),
            f"  {first}",
            *(f"  let shown_{i} = {one};" for i, one in enumerate(shown)),
            "  var picture = shown_0;",
            *(f"  if (which == {i}) {{ picture = shown_{i}; }}" for i in range(len(shown))),
            "  return picture;",
            "}",
        ]
    )


def _spirv(code: Code, names: list[str], first: str, shown: list[str], high: int) -> bytes:
    point, params = code.entry.point, code.entry.params
    letters = {m.name: "xyz" if m.type == VEC3 else "x" if m.type.size == 1 else "xyzw" for m in point.members}
    version, rest = code.functions.split("\n", 1)
    text = "\n".join(
        [
            version,
            "#extension GL_EXT_samplerless_texture_functions : require",
            rest,
            f"layout(set = 0, binding = 0) uniform Block {{ {params.name} u_params; }};",
            *(f"layout(set = 0, binding = {1 + i}) uniform texture2D u_{n};" for i, n in enumerate(code.pictures)),
            *(f"layout(set = 0, binding = {8 + i}) uniform texture2D from_{n};" for i, n in enumerate(names)),
            "layout(location = 0) out vec4 picture;",
            "void main() {",
            f"  {point.name} at;",
            f"  ivec2 spot = ivec2(int(gl_FragCoord.x), int(gl_FragCoord.y) % {high});",
            f"  int which = int(gl_FragCoord.y) / {high};",
            *(f"  at.{n} = texelFetch(from_{n}, spot, 0).{letters[n]};" for n in names),
            f"  {first}",
            *(f"  vec4 shown_{i} = {one};" for i, one in enumerate(shown)),
            *(f"  if (which == {i}) picture = shown_{i};" for i in range(len(shown))),
            "}",
        ]
    )
    with tempfile.TemporaryDirectory() as folder:
        path, out = Path(folder) / "code.frag", Path(folder) / "code.spv"
        path.write_text(text)
        done = subprocess.run(
            ["glslangValidator", "-V", str(path), "-o", str(out)], capture_output=True, text=True, check=False
        )
        assert done.returncode == 0, done.stdout
        return out.read_bytes()
