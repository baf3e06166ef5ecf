"""The Metal shading language, 2.1 and later, as a dialect."""

from whorl.shade.clike import FLOATS, FLOORED, Dialect

#: Words of C++14 and of the language's own (its specification, sections 1.4 and 2) that Python does not have.
_TAKEN = frozenset(
    """
    abs access alignas alignof array asm atan2 atomic_int auto bool buffer case catch char clamp class color const
    const_cast constant constexpr cos cross decltype default delete device dfdx dfdy discard do dot double enum
    exp2 explicit export extern float floor fmod fract fragment friend fwidth goto half inline int kernel length
    log2 long main max min mix mutable namespace new noexcept operator packed position pow private protected public
    ramp register sample sampler short signed sin size sizeof sqrt static static_cast step struct switch template
    texture texture2d this thread thread_local threadgroup throw try typedef typename uint union unsigned using
    vertex virtual void volatile
    """.split()  # noqa: SIM905 - as a list it would be a page long
)
METAL = Dialect(
    FLOATS,
    _TAKEN,
    builtins={
        "atan2": "atan2",
        "mod": FLOORED,
        "texel": "{0}.read(uint2(uint({1}), uint({2})), 0)",
        "extent": "float2(float({0}.get_width()), float({0}.get_height()))",
    },
    image="texture2d<float> {name}",
    table="array<{row}, {rows}> {name}",
    constant="const {type} {name} = {value};",
    table_constant="const array<{row}, {rows}> {name} = {value};",
    rows="{{{{ {values} }}}}",
    made="{type} {name} = {{ {args} }};",
    across="dfdx({0})",
    along="dfdy({0})",
    splats=True,
)
