"""HLSL, shader model 5."""

from whorl.plan.print.languages.shell import Entry, Shell
from whorl.shade.hlsl import HLSL


class Hlsl(Shell):
    """Parameters are a constant buffer, pictures textures from register t0 on; the entry is `main`."""

    key, title, ending = "hlsl", "HLSL, shader model 5", ".hlsl"
    dialect = HLSL

    def head(self, entry: Entry) -> list[str]:
        if not entry.pictures:
            return []
        return [
            "float2 extent_of(Texture2D<float4> picture) {",
            "  uint wide, high;",
            "  picture.GetDimensions(wide, high);",
            "  return float2(wide, high);",
            "}",
        ]

    def main(self, entry: Entry) -> list[str]:
        d = self.dialect
        names = [f"TEXCOORD{i}" for i in range(len(entry.point.members))]
        return [
            f"cbuffer Block : register(b0) {{ {entry.params.name} u_params; }};",
            *(f"Texture2D<float4> u_{p} : register(t{i});" for i, p in enumerate(entry.pictures)),
            "struct Input {",
            *(f"  {d.named(m.type)} {m.name} : {n};" for m, n in zip(entry.point.members, names, strict=True)),
            "};",
            "float4 main(Input input) : SV_Target {",
            f"  {entry.point.name} at;",
            *(f"  at.{m.name} = input.{m.name};" for m in entry.point.members),
            *entry.lines,
            f"  return {entry.result};",
            "}",
        ]
