"""WGSL."""

from whorl.plan.print.languages.shell import Entry, Shell, Struct
from whorl.shade.wgsl import WGSL


class Wgsl(Shell):
    """Parameters are a uniform at group 0, binding 0, pictures the bindings after it; the entry is `main`."""

    key, title, ending = "wgsl", "WGSL", ".wgsl"
    dialect = WGSL
    closed = "}"

    def head(self, entry: Entry) -> list[str]:
        return []

    def result(self, struct: Struct) -> str:
        return f"var result: {struct.name};"

    def main(self, entry: Entry) -> list[str]:
        d = self.dialect
        members = enumerate(entry.point.members)
        return [
            f"@group(0) @binding(0) var<uniform> u_params: {entry.params.name};",
            *(f"@group(0) @binding({i + 1}) var u_{p}: texture_2d<f32>;" for i, p in enumerate(entry.pictures)),
            "struct Input {",
            *(f"  @location({i}) {m.name}: {d.named(m.type)}," for i, m in members),
            "}",
            "@fragment",
            "fn main(input: Input) -> @location(0) vec4<f32> {",
            f"  var at: {entry.point.name};",
            *(f"  at.{m.name} = input.{m.name};" for m in entry.point.members),
            *entry.lines,
            f"  return {entry.result};",
            "}",
        ]
