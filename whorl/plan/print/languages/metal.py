"""The Metal shading language."""

from typing import ClassVar

from whorl.plan.print.languages.shell import Entry, Shell
from whorl.shade.metal import METAL


class Metal(Shell):
    """Parameters are buffer 0, pictures textures from 0 on; the entry is `shown`."""

    key, title, ending = "metal", "Metal", ".metal"
    dialect = METAL
    three: ClassVar[tuple[int, int]] = (16, 16)

    def head(self, entry: Entry) -> list[str]:
        return ["#include <metal_stdlib>", "using namespace metal;"]

    def main(self, entry: Entry) -> list[str]:
        d = self.dialect
        given = ["Input input [[stage_in]]", f"constant {entry.params.name} &u_params [[buffer(0)]]"]
        given += [f"texture2d<float> u_{p} [[texture({i})]]" for i, p in enumerate(entry.pictures)]
        members = enumerate(entry.point.members)
        return [
            "struct Input {",
            *(f"  {d.named(m.type)} {m.name} [[user(locn{i})]];" for i, m in members),
            "};",
            f"fragment float4 shown({', '.join(given)}) {{",
            f"  {entry.point.name} at;",
            *(f"  at.{m.name} = input.{m.name};" for m in entry.point.members),
            *entry.lines,
            f"  return {entry.result};",
            "}",
        ]
