"""The languages that code is given away in, one file each; a new one is named here."""

from whorl.plan.print.languages.glsl import Glsl
from whorl.plan.print.languages.glsl_es import GlslEs
from whorl.plan.print.languages.hlsl import Hlsl
from whorl.plan.print.languages.metal import Metal
from whorl.plan.print.languages.shell import Shell
from whorl.plan.print.languages.wgsl import Wgsl

LANGUAGES: dict[str, Shell] = {s.key: s for s in (GlslEs(), Glsl(), Hlsl(), Wgsl(), Metal())}
