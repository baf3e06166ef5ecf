"""WGSL as a dialect."""

from whorl.shade.clike import FLOORED, Dialect

#: Keywords and reserved words (WGSL, sections 16.1 and 16.2), and functions that locals would hide.
_TAKEN = frozenset(
    """
    NULL Self abstract active alias alignas alignof array as asm asm_fragment async atan2 attribute auto await become
    bitcast bool box case cast catch clamp class co_await co_return co_yield coherent column_major common compile
    compile_fragment concept const const_assert const_cast consteval constexpr constinit continuing cos crate cross
    debugger decltype default delete demote demote_to_helper diagnostic discard distance do dot dpdx dpdy
    dynamic_cast enable enum explicit export extends extern external f16 f32 fallthrough filter final finally floor
    fn fract friend from fwidth fxgroup get goto groupshared highp i32 impl implements inline instanceof interface
    layout length let log2 loop lowp macro macro_rules match max mediump meta min mix mod module move mut mutable
    namespace new nil noexcept noinline nointerpolation non_coherent noncoherent noperspective null nullptr of
    operator override package packoffset pixelfragment pow precise precision premerge priv private protected ptr pub
    public readonly ref regardless register reinterpret_cast require requires resource restrict round select self set
    shared sign sin sizeof smooth snorm sqrt static static_assert static_cast std step struct super switch target
    template this thread_local throw trait try type typedef typeid typename typeof u32 union unless unorm unsafe
    unsized use using var varying virtual volatile wgsl where writeonly
    """.split()  # noqa: SIM905 - as a list it would be a page long
)
WGSL = Dialect(
    {
        "f32": "f32",
        "i32": "i32",
        "u32": "u32",
        "bool": "bool",
        "Vec2": "vec2<f32>",
        "Vec3": "vec3<f32>",
        "Vec4": "vec4<f32>",
    },
    _TAKEN,
    builtins={
        "atan2": "atan2",
        "mod": FLOORED,
        "texel": "textureLoad({0}, vec2<i32>({1}, {2}), 0)",
        "extent": "vec2<f32>(textureDimensions({0}))",
    },
    declare="{name}: {type}",
    local="var {name}: {type};",
    begun="var {name}: {type} = {value};",
    table="{name}: array<{row}, {rows}>",
    head="fn {name}({params}) -> {returns}",
    loop="for (var {name}: i32 = {start}; {name} < {stop}; {name}++)",
    choice="select({no}, {yes}, {test})",
    record="struct {name} {{ {fields} }}",
    part="{declared},",
    image="{name}: texture_2d<f32>",
    kept="let {name} = {value};",
    constant="const {name} = {value};",
    # A table that is known beforehand is not looked up by a number that is not.
    table_constant="var {name} = {value};",
    rows="array<{row}, {count}>({values})",
    made="let {name} = {type}({args});",
    across="dpdx({0})",
    along="dpdy({0})",
    width="fwidth({0})",
    splats=True,
    shift="u32({0})",
)
