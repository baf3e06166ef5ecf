"""HLSL, shader model 5, as a dialect."""

from whorl.shade.clike import FLOATS, FLOORED, Dialect

#: Keywords and reserved words of HLSL (its reference, appendix), and functions that locals would hide.
_TAKEN = frozenset(
    """
    AppendStructuredBuffer Buffer BlendState ComputeShader Texture2D abs all any asm asm_fragment atan2 auto case
    catch cbuffer centroid char clamp class column_major compile const const_cast cos cross ddx ddy default delete
    discard do dot double dword dynamic_cast enum exp2 explicit export extern float floor frac friend fwidth goto
    groupshared half in inline inout int interface length lerp line lineadj linear log2 long lowp matrix max min
    mutable namespace new nointerpolation noperspective operator out packoffset pass pixelfragment point pow
    precise private protected public register reinterpret_cast row_major sample sampler saturate shared short signed
    sin sizeof smoothstep snorm sqrt stateblock static static_cast step string struct switch tbuffer technique
    template texture this throw triangle triangleadj try typedef typename uint uniform union unorm unsigned using
    vector vertexfragment virtual void volatile
    """.split()  # noqa: SIM905 - as a list it would be a page long
)
HLSL = Dialect(
    FLOATS,
    _TAKEN,
    builtins={
        "fract": "frac",
        "mix": "lerp",
        "atan2": "atan2",
        "mod": FLOORED,
        "texel": "{0}.Load(int3({1}, {2}, 0))",
        "extent": "extent_of({0})",
    },
    image="Texture2D<float4> {name}",
    constant="static const {type} {name} = {value};",
    table_constant="static const {row} {name}[{rows}] = {value};",
    rows="{{ {values} }}",
    made="{type} {name} = {{ {args} }};",
    across="ddx({0})",
    along="ddy({0})",
    splat="(({type})({value}))",
    loop="[loop] for (int {name} = {start}; {name} < {stop}; {name}++)",
)
