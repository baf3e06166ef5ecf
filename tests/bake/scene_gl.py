"""Graphs of a MaterialX document, as the GLSL that its own package makes of them, run over surface points."""

import re
from functools import lru_cache

import MaterialX as mx  # noqa: N813 - as its own documentation has it
import moderngl
import numpy as np
import OpenEXR
from MaterialX.PyMaterialXGenGlsl import GlslShaderGenerator
from MaterialX.PyMaterialXGenShader import GenContext

WIDE = 512


@lru_cache(maxsize=1)
def library():
    """The standard nodes."""
    found = mx.createDocument()
    mx.loadLibraries(mx.getDefaultDataLibraryFolders(), mx.getDefaultDataSearchPath(), found)
    return found


@lru_cache(maxsize=1)
def context():
    made = moderngl.create_standalone_context(backend="egl")
    made.enable(moderngl.PROGRAM_POINT_SIZE)
    return made


def generated(doc, element, generator):
    """The pixel and vertex program of an element of a document."""
    doc.setDataLibrary(library())
    of = GenContext(generator)
    of.registerSourceCodeSearchPath(mx.getDefaultDataSearchPath())
    return generator.generate("shown", element, of)


def drawn(doc, output, points, time, eye, folder=None):
    """What an output gives at each point: (points, 4). Points are those of the stage, uv those of the document."""
    shader = generated(doc, output, GlslShaderGenerator.create())
    vertex = shader.getSourceCode("vertex").replace("void main()", "in vec2 i_pixel;\nvoid main()")
    vertex = re.sub(r"gl_Position = .*;", "gl_Position = vec4(i_pixel, 0.0, 1.0); gl_PointSize = 1.0;", vertex)
    gl = context()
    program = gl.program(vertex_shader=vertex, fragment_shader=shader.getSourceCode("pixel"))
    count = len(points["at_uv"][0])
    high = -(-count // WIDE)
    n = np.arange(count)
    given = {
        "i_pixel": np.stack([(n % WIDE + 0.5) / WIDE * 2 - 1, (n // WIDE + 0.5) / high * 2 - 1], 1),
        "i_position": np.stack(points["at_world"], 1),
        "i_normal": np.stack(points["at_normal"], 1),
        "i_texcoord_0": np.stack(points["at_uv"][:2], 1),
    }
    buffers = [
        (gl.buffer(np.ascontiguousarray(a, np.float32).tobytes()), f"{a.shape[1]}f", name)
        for name, a in given.items()
        if name in program
    ]
    if "u_time" in program:
        program["u_time"].value = time
    if "u_viewPosition" in program:
        program["u_viewPosition"].value = tuple(float(x) for x in eye)
    files = {n.getName(): n.getInputValue("file") for g in doc.getNodeGraphs() for n in g.getNodes("image")}
    unit = 0
    for name, path in files.items():
        if path and f"{name}_file" in program:
            channels = OpenEXR.File(str(folder / path)).channels()
            pixels = next(iter(channels.values())).pixels.astype(np.float32)
            pixels = np.ascontiguousarray((pixels[..., None] if pixels.ndim == 2 else pixels)[::-1])
            texture = gl.texture(pixels.shape[1::-1], pixels.shape[2], pixels.tobytes(), dtype="f4")
            texture.use(unit)
            program[f"{name}_file"].value = unit
            unit += 1
    frame = gl.framebuffer([gl.texture((WIDE, high), 4, dtype="f4")])
    frame.use()
    frame.clear()
    gl.vertex_array(program, buffers).render(moderngl.POINTS)
    return np.frombuffer(frame.read(components=4, dtype="f4"), np.float32).reshape(-1, 4)[:count]
