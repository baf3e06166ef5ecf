"""GLSL 4.50, for OpenGL and for Vulkan."""

from whorl.plan.print.languages.shell import Entry, Shell
from whorl.shade.glsl450 import GLSL_450


class Glsl(Shell):
    """Parameters are a block of layout std140; for Vulkan pictures are read without samplers."""

    key, title, ending = "glsl", "GLSL 4.50", ".frag"
    dialect = GLSL_450

    def head(self, entry: Entry) -> list[str]:
        lines = ["#version 450"]
        if entry.pictures:
            lines += [
                "#ifdef VULKAN",
                "#extension GL_EXT_samplerless_texture_functions : require",
                "#define PICTURE texture2D",
                "#else",
                "#define PICTURE sampler2D",
                "#endif",
            ]
        return lines

    def main(self, entry: Entry) -> list[str]:
        d = self.dialect
        places = [f"layout(location = {i}) in" for i in range(len(entry.point.members))]
        return [
            *(f"{at} {d.named(m.type)} v_{m.name};" for at, m in zip(places, entry.point.members, strict=True)),
            "#ifdef VULKAN",
            "#define PLACE(n) layout(set = 0, binding = n)",
            "#else",
            "#define PLACE(n) layout(binding = n)",
            "#endif",
            f"PLACE(0) uniform Block {{ {entry.params.name} u_params; }};",
            *(f"PLACE({i + 1}) uniform PICTURE u_{p};" for i, p in enumerate(entry.pictures)),
            "layout(location = 0) out vec4 picture;",
            "void main() {",
            f"  {entry.point.name} at;",
            *(f"  at.{m.name} = v_{m.name};" for m in entry.point.members),
            *entry.lines,
            f"  picture = {entry.result};",
            "}",
        ]
