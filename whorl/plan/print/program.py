"""A plan printed as a GLSL ES 3.00 program.

One fragment program draws the picture and every peek: `peek` is a node's number, or −1 for the
surface. What the surface needs comes first, so that the picture never pays for strands that
feed nothing; what neither it nor a peek needs is not there. A peek returns some time after its node is known.

Drivers lay every call out, and take minutes over some dozens of noises. So in a large program
calls of one heavy function become rounds of one loop, as far as none needs another's result.
"""

import hashlib
from dataclasses import dataclass

from whorl.fields import cast, displacement, surface
from whorl.plan.graph import (
    CAMERA,
    SHOWN,
    Node,
    Plan,
)
from whorl.plan.print.walk import Walk
from whorl.plan.run.steps import heaviness, light
from whorl.shade import Unchecked
from whorl.shade.glsl import GLSL_ES, TYPES, GlslPrinter, declare
from whorl.shade.types import IMAGE, floats
from whorl.shapes.mesh import MORE

_VERTEX_HEAD = """#version 300 es
precision highp float;
in vec3 position;
in vec3 normal;
in vec2 uv;
in vec3 along_u;
in vec3 along_v;
uniform mat4 view_projection;
uniform vec3 box_low;
uniform vec3 box_size;
uniform float camera_size;
out vec3 v_object;
out vec3 v_normal;
out vec3 v_box;
out vec2 v_uv;
out vec3 v_along_u;
out vec3 v_along_v;
out vec3 v_clip;
out vec3 v_world;
"""

#: Vertices that share a place follow one another; each knows the first of them and how many they are.
_MOVED_HEAD = """in vec3 together;
in vec3 shared_normal;
uniform highp sampler2D heights;
vec4 height_of(int i) {
  int wide = textureSize(heights, 0).x;
  return texelFetch(heights, ivec2(i % wide, i / wide), 0);
}
"""

#: Draws each vertex as one pixel of a picture, to work out how far it is moved.
_APART = """in vec3 together;
uniform vec2 size;
"""

_VERTEX = (
    """void main() {
  vec3 at_position = position;
  v_normal = normal;
""",
    """  v_object = position;
  v_world = at_position * camera_size;
  v_uv = uv;
  v_box = (position - box_low) / box_size;
  v_along_u = along_u;
  v_along_v = along_v;
""",
    """  gl_Position = view_projection * vec4(v_world, 1.0);
  v_clip = gl_Position.xyw;
}
""",
    """  int wide = int(size.x);
  int i = int(together.z);
  vec2 at = (vec2(float(i % wide), float(i / wide)) + 0.5) / size * 2.0 - 1.0;
  gl_Position = vec4(at, 0.0, 1.0);
  gl_PointSize = 1.0;
  v_clip = vec3(0.0, 0.0, 1.0);
}
""",
)

_HEAD = """#version 300 es
precision highp float;
precision highp int;
in vec3 v_object;
in vec3 v_normal;
in vec3 v_box;
in vec2 v_uv;
in vec3 v_along_u;
in vec3 v_along_v;
in vec3 v_clip;
in vec3 v_world;
uniform vec3 box_size;
uniform vec2 aspect;
uniform int peek;
uniform float side_strength;
uniform bool near_side;
out vec4 picture;
"""

#: Camera numbers, by names of their own so that they meet no function's.
_CAMERA = "".join(f"uniform {TYPES[floats(n).name]} camera_{name};\n" for name, n in CAMERA.items() if name != "reach")

#: The far side of a shape: its normal and how far off it is.
BACK = """#version 300 es
precision highp float;
in vec3 v_world;
in vec3 v_normal;
uniform vec3 camera_eye;
out vec4 picture;
void main() { picture = vec4(v_normal, length(camera_eye - v_world)); }
"""

_SCREEN_HEAD = """#version 300 es
precision highp float;
precision highp int;
uniform vec2 size;
out vec4 picture;
"""

_SCREEN_POINT = """  float least = min(size.x, size.y);
  vec3 at_screen = vec3((gl_FragCoord.xy - size * 0.5) / least + 0.5, 0.0);
  vec2 from_middle = (at_screen.xy - 0.5) * (2.0 / camera_scale);
  vec3 at_ray = towards(cross(camera_up, camera_right) + camera_right * from_middle.x + camera_up * from_middle.y);
"""

#: What is looked at alone, and what kind of signal it is, from 1; 0 while there is none. It is made what the screen
#: shows in one place: at each node, drivers would lay that out as often.
_SEEN = """vec3 peeked;
int peeked_as = 0;
"""
_KINDS = {signal: i for i, signal in enumerate(SHOWN, 1)}

#: How many ways out of a program there may be: each is a level of nesting to drivers, which compile it as long again.
WAYS_OUT = 6

_POINT = """  picture = vec4(0.0);
  vec3 at_uv = vec3(v_uv, 0.0);
  vec3 at_object = v_object;
  vec3 at_box = v_box;
  vec3 at_normal = towards(v_normal);
  vec3 at_view = towards(camera_eye - v_world);
  vec3 at_world = v_world;
  vec3 at_box_size = box_size;
  vec3 at_along_u = v_along_u;
  vec3 at_along_v = v_along_v;
  float at_distance = length(camera_eye - v_world);
  vec3 at_screen = vec3(v_clip.xy / max(v_clip.z, 1e-6) * aspect * 0.5 + 0.5, 0.0);
"""

_BACK = (
    """uniform highp sampler2D back_layer;
""",
    """  vec4 at_back = near_side ? texelFetch(back_layer, ivec2(gl_FragCoord.xy), 0) : vec4(0.0);
""",
)

#: What some meshes say of their vertices, where it is asked for: for the vertex program, its body, and the fragment
#: program.
_MORE = (
    "in {type} {name};\nout {type} v_{name};\n",
    "  v_{name} = {name};\n",
    "in {type} v_{name};\n",
    "  {type} at_{name} = v_{name};\n",
)

#: What the key lamp sees of the shape, one square at a time: its vertex program, after what is said of the lamp's
#: direction, and its fragment program; see `fields.cast`.
_LAMP_HEAD = "uniform float camera_reach;\nout float v_near;\n"
_LAMP_PLACED = """  v_near = {nearness}(v_world, {to}, camera_reach);
  vec3 lamp_aside = {aside}({to});
  vec3 lamp_seen = vec3(dot(v_world, lamp_aside), dot(v_world, cross({to}, lamp_aside)), -dot(v_world, {to}));
  gl_Position = vec4(lamp_seen / camera_reach, 1.0);
  v_clip = gl_Position.xyw;
}}
"""
_LAMP_FRAGMENT = """#version 300 es
precision highp float;
in vec3 v_object;
in vec3 v_normal;
in vec3 v_box;
in vec2 v_uv;
in float v_near;
{more}uniform int square;
out vec4 picture;
{functions}
void main() {{
  if (square == 0) picture = vec4(v_object, v_near);
  if (square == 1) picture = vec4(v_uv, {octahedral}({towards}(v_normal)));
  if (square == 2) picture = vec4(v_box, {worn});
}}
"""

#: What is drawn to be looked up: of the far side, and by the key lamp.
_FAR = "uniform highp sampler2D far_layer;\n"
_LIGHT = "uniform highp sampler2D light_layer;\nuniform float camera_reach;\n"

_TYPES = {1: "float", 3: "vec3", 4: "vec4"}

#: From this weight on a program is large.
LARGE = 50_000


@dataclass(frozen=True)
class Program:
    """The text of a program and a key that is the same for the same text."""

    vertex: str
    fragment: str
    backdrop: str
    #: What works out how far each vertex is moved, where any is: a vertex and a fragment program.
    raised: tuple[str, str]
    #: What draws what the key lamp sees of the shape, where light is cast from that: likewise.
    lamp: tuple[str, str]
    key: str


def program(plan: Plan) -> Program:
    """The GLSL of a plan."""
    fragment, backdrop = _Body(plan).text(), _Body(plan).backdrop()
    raised = (_vertex(plan, True), _Body(plan).raised()) if plan.raised else ("", "")
    lamp = (_Body(plan).lamp_vertex(), _lamp_fragment(plan)) if plan.lamp else ("", "")
    vertex = _vertex(plan, False)
    key = hashlib.sha256("".join((vertex, fragment, backdrop, *raised, *lamp)).encode()).hexdigest()[:16]
    return Program(vertex, fragment, backdrop, raised, lamp, key)


def _lamp_fragment(plan: Plan) -> str:
    printer = GlslPrinter()
    names = {f.name: printer.need(f) for f in (cast.octahedral, surface.towards)}
    coloured = plan.asks("at_colour")
    more = "in vec4 v_colour;\n" if coloured else ""
    worn = "v_colour.w" if coloured else "1.0"
    return _LAMP_FRAGMENT.format(more=more, worn=worn, functions=printer.source(), **names)


def _vertex(plan: Plan, apart: bool, lamp: "_Body | None" = None) -> str:
    """The vertex program, which moves vertices where the plan does; or the one that measures them, each apart; or the
    one of a lamp, whose body says where that is."""
    start, places, placed, alone = _VERTEX
    top = _VERTEX_HEAD
    outer, inner, _, _ = _more(plan)
    top, places = top + outer, places + inner
    if apart:
        return top + _APART + start + places + alone
    printer = lamp.printer if lamp else GlslPrinter()
    if lamp:
        assert plan.lamp is not None
        named = {f.name: printer.need(f) for f in (cast.nearness, cast.aside)}
        placed = _LAMP_PLACED.format(to=lamp.node(plan.lamp), **named)
        head, first = lamp.declared()
        top, places = top + _LAMP_HEAD + head, places + "\n".join([*first, *lamp.lines, ""])
    if plan.raised is None:
        return top + (printer.source() if lamp else "") + start + places + placed
    lines = ["  int first = int(together.x);", "  int count = int(together.y);"]
    if not plan.whole:
        lines = ["  int first = int(together.z);", "  int count = 1;"]
    way = "shared_normal" if plan.whole else "normal"
    if plan.offset:
        normal = printer.need(displacement.unpacked)
        lines += [
            "  vec3 far = vec3(0.0);",
            "  for (int k = 0; k < count; k++) far += height_of(first + k).xyz;",
            "  at_position = position + far / float(count);",
            f"  v_normal = {normal}(height_of(int(together.z)).w);",
        ]
    else:
        tilt = printer.need(displacement.tilted)
        move = printer.need(displacement.moved_by)
        lines += [
            "  float far = 0.0;",
            "  for (int k = 0; k < count; k++) far += height_of(first + k).z;",
            f"  at_position = {move}(position, {way}, far / float(count));",
            f"  v_normal = {tilt}(normal, along_u, {way}, height_of(int(together.z)));",
        ]
    lines.append("")
    return top + _MOVED_HEAD + printer.source() + start + "\n".join(lines) + places + placed


def _shows() -> str:
    """The `main` of a program whose body is `drawn`."""
    lines = ["void main() {", "  drawn();"]
    for signal, kind in _KINDS.items():
        alone = "peeked.x" if signal.size == 1 else "peeked"
        lines.append(f"  if (peeked_as == {kind}) picture = vec4({SHOWN[signal].name}({alone}), 1.0);")
    return "\n".join([*lines, "}", ""])


def _more(plan: Plan) -> list[str]:
    """`_MORE` for what a plan asks for of it, one after another."""
    asked = [{"name": name, "type": _TYPES[count]} for name, count in MORE.items() if plan.asks(f"at_{name}")]
    return ["".join(text.format(**names) for names in asked) for text in _MORE]


class _Body(Walk):
    """The browser's programs: names are short, since nobody reads them, and every node can be shown alone."""

    def __init__(self, plan: Plan) -> None:
        super().__init__(plan, GlslPrinter())
        shared: tuple[Unchecked, ...] = (surface.towards, surface.faded, *SHOWN.values())
        for f in shared:
            self.printer.need(f)
        #: What can be looked at alone.
        self.shown = {n.index: n for n in (*plan.beads.values(), *plan.channels.values())}
        #: How many nodes are printed, and how many from one way out to the next.
        self.printed, self.stretch = 0, 1

    def text(self) -> str:
        assert self.plan.picture is not None
        first = self.plan.needed(self.plan.picture)
        chosen = {n.index for n in first}
        # What only the vertices need, and lines of other programs, are not in this one.
        rest = [n for n in self.plan.needed(*self.shown.values()) if n.index not in chosen]
        # A large program has no ways out but the picture's: they make it compile five times as long.
        large = sum(map(heaviness, [*first, *rest])) >= LARGE
        self.stretch = 1 + len([*first, *rest]) // WAYS_OUT
        for nodes in (first, rest):
            for group in _gathered(nodes) if large else [[n] for n in nodes]:
                if len(group) > 1:
                    self.rounds(group)
                else:
                    self.single(group[0])
                for node in group:
                    self.show(node)
                    if not large:
                        self.leave()
        head, point = self.on_shape()
        if self.plan.back:
            head, point = head + _BACK[0], point + _BACK[1]
        if self.plan.layered:
            head += _FAR
        if self.plan.lamp:
            head += _LIGHT
        return self.whole(head + _SEEN, point, "drawn") + _shows()

    def backdrop(self) -> str:
        """What lies behind the effect, over the whole picture."""
        assert self.plan.backdrop is not None
        for node in self.plan.needed(self.plan.backdrop):
            self.single(node)
        self.lines.append(f"  picture = n{self.plan.backdrop.index};")
        head = _SCREEN_HEAD + (_LIGHT if self.plan.lamp else "")
        return self.whole(head, _SCREEN_POINT)

    def raised(self) -> str:
        """How far each vertex is moved; vertices lie apart, so nothing changes from one to the next."""
        assert self.plan.raised is not None
        self.apart = True
        for node in self.plan.needed(self.plan.raised):
            self.single(node)
        self.lines.append(f"  picture = n{self.plan.raised.index};")
        return self.whole(*self.on_shape())

    def lamp_vertex(self) -> str:
        """The vertex program of what the key lamp sees."""
        assert self.plan.lamp is not None
        for node in self.plan.needed(self.plan.lamp):
            self.single(node)
        return _vertex(self.plan, False, self)

    def declared(self) -> tuple[str, list[str]]:
        """The numbers of a program: how they are declared, and the lines that work out those made of others."""
        lines = [f"{'' if u.made else 'uniform '}{declare(u.type, u.name)};" for u in self.plan.uniforms]
        return "\n".join([*lines, ""]), [
            f"  {u.name} = {self.of_others(u.made)};" for u in self.plan.uniforms if u.made
        ]

    def on_shape(self) -> tuple[str, str]:
        """The beginning of a program on the shape, and what is known of a point there."""
        _, _, head, point = _more(self.plan)
        return _HEAD + head, _POINT + point

    def whole(self, head: str, point: str, called: str = "main") -> str:
        """A program, or all of it but its `main` where its body is called otherwise."""
        numbers, worked_out = self.declared()
        uniforms = [numbers.rstrip("\n")]
        for p in self.plan.pictures:
            uniforms += [f"uniform highp sampler2D {p.name};", f"uniform ivec4 {p.name}_size;"]
        parts = [
            head + _CAMERA,
            "\n".join(uniforms),
            self.printer.source(),
            f"void {called}() {{",
            *worked_out,
            point.rstrip("\n"),
        ]
        return "\n".join([*parts, *self.lines, "}", ""])

    def leave(self) -> None:
        """Leaves the program once what a peek shows is known, but not after every node; see WAYS_OUT."""
        self.printed += 1
        if self.printed % self.stretch == 0:
            self.lines.append("  if (peeked_as > 0) return;")

    def rounds(self, group: list[Node]) -> None:
        """Nodes of the same function, none of which needs another, as a loop over what they are given."""
        head, count = group[0], len(group)
        assert head.function is not None
        name = f"n{head.index}"
        given = [self.given(node) for node in group]
        params = [p.type for p in head.function.tree.params if not p.fixed]
        taken = []
        for k, (kind, texts) in enumerate(zip(params, zip(*given, strict=True), strict=True)):
            if len(set(texts)) == 1:
                taken.append(texts[0])
                continue
            array = f"{GLSL_ES.named(kind)}[{count}]"
            self.lines.append(f"  {array} {name}_{k} = {array}({', '.join(texts)});")
            taken.append(f"{name}_{k}[k]")
        self.lines += [
            f"  {_TYPES[head.size]} {name}_r[{count}];",
            f"  for (int k = 0; k < {count}; k++) {name}_r[k] = {self.call(head, taken)};",
            *(f"  {_TYPES[node.size]} n{node.index} = {name}_r[{i}];" for i, node in enumerate(group)),
        ]

    def show(self, node: Node) -> None:
        if node is self.plan.picture:
            self.lines.append(f"  if (peek < 0) {{ picture = faded(n{node.index}, side_strength); return; }}")
        elif node.index in self.shown:
            assert node.gives is not None
            kept = f"vec3(n{node.index})" if node.size == 1 else f"n{node.index}"
            self.lines.append(f"  if (peek == {node.index}) {{ peeked = {kept}; peeked_as = {_KINDS[node.gives]}; }}")


def _gathered(nodes: list[Node]) -> list[list[Node]]:
    """Nodes in an order that still has each after those it needs, equal heavy functions together.

    A node's depth counts the heavy ones on the way to it, itself included; so two heavy nodes of
    one depth never need each other.
    """
    depth: dict[int, int] = {}
    groups: dict[tuple[int, bool, object], list[Node]] = {}
    for node in nodes:
        heavy = node.function is not None and not light(node) and not _takes_whole(node)
        before = max((depth.get(n.index, 0) for n in node.takes), default=0)
        depth[node.index] = before + heavy
        what = (node.function, node.fixed, node.gives) if heavy else node.index
        # Those that are heavy come before the light ones of the same depth.
        groups.setdefault((depth[node.index], not heavy, what), []).append(node)
    return [group for _, group in sorted(groups.items(), key=lambda item: item[0][:2])]


def _takes_whole(node: Node) -> bool:
    """Whether it takes a table or an image, of which there are no arrays."""
    assert node.function is not None
    return any(p.type.rows or p.type == IMAGE for p in node.function.tree.params)
