"""GLSL 4.50 as a dialect, for OpenGL and, with VULKAN defined as its compilers do, for Vulkan."""

from dataclasses import replace

from whorl.shade.glsl import GLSL_ES

#: Words that 4.50 keeps and ES 3.00 does not (section 3.6 of its specification).
_MORE = frozenset(
    ["subroutine", "atomic_uint", "dmat2", "dmat3", "dmat4", "dvec2", "dvec3", "dvec4", "image2D", "texture2D"]
)
GLSL_450 = replace(GLSL_ES, taken=GLSL_ES.taken | _MORE, image="PICTURE {name}")
