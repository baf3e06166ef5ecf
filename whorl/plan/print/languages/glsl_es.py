"""GLSL ES 3.00, as WebGL 2 has it."""

from whorl.plan.print.languages.shell import Entry, Shell
from whorl.shade.glsl import GLSL_ES


class GlslEs(Shell):
    """Uniforms by their names; inputs of the fragment by `v_` and theirs."""

    key, title, ending = "glsl-es", "GLSL ES 3.00", ".es.frag"
    dialect = GLSL_ES

    def head(self, entry: Entry) -> list[str]:
        return ["#version 300 es", "precision highp float;", "precision highp int;", "precision highp sampler2D;"]

    def main(self, entry: Entry) -> list[str]:
        d = self.dialect
        return [
            *(f"in {d.named(m.type)} v_{m.name};" for m in entry.point.members),
            f"uniform {entry.params.name} u_params;",
            *(f"uniform sampler2D u_{p};" for p in entry.pictures),
            "out vec4 picture;",
            "void main() {",
            f"  {entry.point.name} at;",
            *(f"  at.{m.name} = v_{m.name};" for m in entry.point.members),
            *entry.lines,
            f"  picture = {entry.result};",
            "}",
        ]
