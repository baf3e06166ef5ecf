import {
  BackSide,
  BufferAttribute,
  BufferGeometry,
  Camera,
  CustomBlending,
  DoubleSide,
  Mesh as Drawn,
  FloatType,
  FrontSide,
  GLSL3,
  HalfFloatType,
  LinearSRGBColorSpace,
  NearestFilter,
  NoBlending,
  OneFactor,
  OneMinusSrcAlphaFactor,
  Points,
  RawShaderMaterial,
  Scene,
  UnsignedByteType,
  Vector2,
  WebGLRenderer,
  WebGLRenderTarget,
} from "three";
import { cameraNumbers } from "../api/catalogue";
import type { Compiled, Effect } from "../api/client";
import { pixelsOfUnit, type View } from "./camera";
import { type Mesh, mesh, shown } from "./mesh";
import { outside } from "./numbers";
import { picture, played } from "./picture";

/** Numbers for uniforms, by their names. */
export type Numbers = Map<string, number[]>;

/** Where a picture goes: the canvas, or a target that is read back; with the shape's triangles over it;
 * or only so much of it, from the left, over what is there. */
type Shown = { into?: WebGLRenderTarget; wire?: boolean; left?: number };
/** A square of a target. */
export type Cell = { atlas: WebGLRenderTarget; x: number; y: number; size: number };
type Pass = Compiled["passes"][number];

/** A program ready to draw. */
export type Drawable = {
  key: string;
  compiled: Compiled;
  near: RawShaderMaterial;
  far: RawShaderMaterial;
  /** All that lies behind the effect; one program for the whole picture. */
  backdrop: RawShaderMaterial;
  /** The far side's normals and distances, where the surface asks for them. */
  back: RawShaderMaterial | null;
  /** Works out how far each vertex is moved, where any is. */
  raised: RawShaderMaterial | null;
  /** Draws what the key lamp sees of the shape, where light is cast from that. */
  lamp: RawShaderMaterial | null;
  wire: RawShaderMaterial;
  mesh: Mesh;
  shape: string;
};

const QUAD_VERTEX = "in vec3 position;\nvoid main() { gl_Position = vec4(position.xy, 0.0, 1.0); }\n";
/** A picture laid over another, or into a part of it. */
const LAY_FRAGMENT =
  "precision highp float;\nuniform highp sampler2D layer;\nuniform ivec2 from;\nout vec4 laid;\nvoid main() { laid = texelFetch(layer, ivec2(gl_FragCoord.xy) - from, 0); }\n";
/** How many targets are kept; a picture takes some twenty. */
const MOST_TARGETS = 160;
/** Pixels along a side of what is there only for what needs one; see LEAST of the small pictures. */
const ODD = 3;
/** Samples of a pixel wherever a shape is drawn: to draw with other formats is another program to many a driver. */
const SAMPLES = 4;
/** Triangles as lines. */
const WIRE_FRAGMENT =
  "precision highp float;\nout vec4 line;\nvoid main() { line = vec4(0.25, 0.62, 0.53, 0.62); }\n";
const camera = () => cameraNumbers().map((name) => `camera_${name}`);
/** How far the furthest corner of a mesh's box lies from the middle. */
const furthest = ({ low, size }: Mesh) =>
  Math.hypot(
    ...(["x", "y", "z"] as const).map((k) => Math.max(Math.abs(low[k]), Math.abs(low[k] + size[k]))),
  );
/** Numbers that a picture is made of, in their order. */
const asked = (of: Compiled["of"], compiled: Compiled, numbers: Numbers) =>
  of.asks.map((i) => numbers.get(compiled.uniforms[i].name)).join(";");
const seenFrom = ({ matrix, camera }: View) => `${matrix.elements.join()} ${camera.camera_size}`;
const bare = (source: string) => source.replace(/^#version.*\n/, "");

function material(vertexShader: string, fragmentShader: string, uniforms: string[]): RawShaderMaterial {
  return new RawShaderMaterial({
    glslVersion: GLSL3,
    vertexShader: bare(vertexShader),
    fragmentShader: bare(fragmentShader),
    uniforms: Object.fromEntries(uniforms.map((name) => [name, { value: null }])),
  });
}

/** A material whose colours, premultiplied, lie over what is there. */
function over(m: RawShaderMaterial): RawShaderMaterial {
  m.transparent = true;
  m.blending = CustomBlending;
  m.blendSrc = m.blendSrcAlpha = OneFactor;
  m.blendDst = m.blendDstAlpha = OneMinusSrcAlphaFactor;
  return m;
}

/** A material that fills its target. */
function filling(m: RawShaderMaterial): RawShaderMaterial {
  m.blending = NoBlending;
  m.depthTest = m.depthWrite = false;
  return m;
}

/**
 * Draws programs with WebGL2. It knows nothing of shading: the core sends finished GLSL, and each
 * full-screen pass as a fragment with its inputs.
 */
export class Painter {
  readonly canvas = document.createElement("canvas");
  /** Whether the driver has taken the picture away; what is drawn comes back by itself when it gives it back. */
  lost = false;
  private readonly renderer: WebGLRenderer;
  private readonly scene = new Scene();
  private readonly drawn = new Drawn();
  private readonly dots = new Points();
  private readonly camera = new Camera();
  private readonly quad = new BufferGeometry();
  private readonly over = over(material(QUAD_VERTEX, LAY_FRAGMENT, ["layer", "from"]));
  private readonly copied = filling(material(QUAD_VERTEX, LAY_FRAGMENT, ["layer", "from"]));
  private readonly targets = new Map<string, WebGLRenderTarget>();
  /** Programs of full-screen passes by their fragments: effects share them. */
  private readonly filters = new Map<string, RawShaderMaterial>();

  constructor() {
    this.renderer = new WebGLRenderer({ canvas: this.canvas, alpha: false, antialias: false, depth: false });
    this.renderer.outputColorSpace = LinearSRGBColorSpace;
    this.renderer.autoClear = false;
    this.renderer.setPixelRatio(1);
    // Asking at the first use has the page wait for all that the driver has to do; see `taken`.
    this.renderer.debug.checkShaderErrors = false;
    // Without a context the canvas is white.
    this.canvas.addEventListener("webglcontextlost", () => {
      this.lost = true;
      this.canvas.style.visibility = "hidden";
    });
    this.canvas.addEventListener("webglcontextrestored", () => {
      this.lost = false;
      this.canvas.style.visibility = "";
    });
    this.drawn.frustumCulled = false;
    this.dots.frustumCulled = false;
    this.scene.add(this.drawn);
    this.quad.setAttribute(
      "position",
      new BufferAttribute(new Float32Array([-1, -1, 0, 3, -1, 0, -1, 3, 0]), 3),
    );
  }

  /** Compiles without blocking; what was drawn before can be drawn meanwhile. */
  async prepare(compiled: Compiled, stage: Effect["stage"], before?: Drawable): Promise<Drawable> {
    const { shape } = stage;
    const filters = compiled.filters.map((f) => this.filter(f));
    if (before && before.key === compiled.key) {
      const [ground] = await Promise.all([mesh(stage), this.warm(filters)]);
      return { ...before, compiled, mesh: ground, shape };
    }
    const names = ["view_projection", "box_low", "box_size", "aspect", "peek", "side_strength"];
    const layers = ["near_side", "back_layer", "far_layer", "light_layer"];
    const sampled = compiled.pictures.flatMap((p) => [p.name, `${p.name}_size`]);
    const numbers = [...camera(), ...sampled, ...compiled.uniforms.map((u) => u.name)];
    const near = over(
      material(compiled.vertex, compiled.fragment, [...names, ...layers, "heights", ...numbers]),
    );
    near.side = FrontSide;
    const backdrop = filling(material(QUAD_VERTEX, compiled.backdrop, ["size", "light_layer", ...numbers]));
    const back = compiled.back
      ? material(compiled.vertex, compiled.back, [...names, "heights", ...camera()])
      : null;
    if (back) back.side = BackSide;
    const raised = compiled.raised
      ? filling(
          material(compiled.raised.vertex, compiled.raised.fragment, [
            ...names,
            "near_side",
            ...numbers,
            "size",
          ]),
        )
      : null;
    const lamp = compiled.lamp
      ? filling(
          material(compiled.lamp.vertex, compiled.lamp.fragment, [...names, "heights", "square", ...numbers]),
        )
      : null;
    if (lamp) {
      lamp.side = DoubleSide;
      lamp.depthTest = lamp.depthWrite = true;
    }
    // One program serves both sides, so compiling one is enough. The driver has it before the page does anything else.
    const compiling = this.warm([
      near,
      backdrop,
      ...(back ? [back] : []),
      ...(raised ? [raised] : []),
      ...(lamp ? [lamp] : []),
      ...filters,
    ]);
    const [ground, pictures] = await Promise.all([
      mesh(stage),
      Promise.all(compiled.pictures.map((p) => picture(p.hash, p.read))),
      compiling,
    ]);
    compiled.pictures.forEach((p, i) => {
      for (const { uniforms } of raised ? [near, backdrop, raised] : [near, backdrop]) {
        uniforms[p.name].value = pictures[i].texture;
        uniforms[`${p.name}_size`].value = pictures[i].size;
      }
    });
    const far = near.clone();
    far.uniforms = near.uniforms;
    far.side = BackSide;
    const wire = over(material(compiled.vertex, WIRE_FRAGMENT, []));
    wire.uniforms = near.uniforms;
    wire.wireframe = true;
    wire.depthTest = wire.depthWrite = false;
    return {
      key: compiled.key,
      compiled,
      near,
      far,
      backdrop,
      back,
      raised,
      lamp,
      wire,
      mesh: ground,
      shape,
    };
  }

  private filter({ fragment, samplers, numbers }: Compiled["filters"][number]): RawShaderMaterial {
    let made = this.filters.get(fragment);
    if (!made) {
      made = filling(material(QUAD_VERTEX, fragment, ["size", ...samplers, ...numbers]));
      this.filters.set(fragment, made);
    }
    return made;
  }

  private async warm(materials: RawShaderMaterial[]) {
    const scene = new Scene();
    for (const m of materials) scene.add(new Drawn(this.quad, m));
    await this.renderer.compileAsync(scene, this.camera);
  }

  /** Whether the driver took all programs; asked once it has had time to draw with them, so that nothing waits. */
  taken(drawable: Drawable): boolean {
    const gl = this.renderer.getContext() as WebGL2RenderingContext;
    if (gl.isContextLost()) return true;
    const { near, backdrop, back, raised, lamp } = drawable;
    return [near, backdrop, back, raised, lamp].every((m) => {
      const known = m && (this.renderer.properties.get(m) as { currentProgram?: { program: WebGLProgram } });
      const made = known?.currentProgram?.program;
      return !made || gl.getProgramParameter(made, gl.LINK_STATUS);
    });
  }

  /** Says, when it is asked, whether the driver has done all that it was given until now. */
  marked(): () => boolean {
    const gl = this.renderer.getContext() as WebGL2RenderingContext;
    const mark = gl.fenceSync(gl.SYNC_GPU_COMMANDS_COMPLETE, 0)!;
    gl.flush();
    return () => {
      if (gl.getSyncParameter(mark, gl.SYNC_STATUS) !== gl.SIGNALED && !gl.isContextLost()) return false;
      gl.deleteSync(mark);
      return true;
    };
  }

  dispose(drawable: Drawable) {
    for (const m of [
      drawable.near,
      drawable.far,
      drawable.backdrop,
      drawable.back,
      drawable.raised,
      drawable.lamp,
      drawable.wire,
    ])
      m?.dispose();
  }

  resize(width: number, height: number) {
    const size = this.renderer.getSize(new Vector2());
    if (size.x !== width || size.y !== height) this.renderer.setSize(width, height, false);
  }

  /** What `picture` makes, but for its size: as long as this stays, so does that. */
  pictureOf(d: Drawable, effect: Effect, numbers: Numbers, view: View): string {
    const finished = Object.values(this.finishing(d, effect, numbers));
    return [this.madeOf(d, numbers, view, d.compiled), effect.surface.sides, ...finished].join("\n");
  }

  /** The same of `bead`, for what has a place: all that is on the shape. */
  madeOf(d: Drawable, numbers: Numbers, view: View, { of }: Pick<Compiled, "of">): string {
    return [of.name, asked(of, d.compiled, numbers), d.mesh.key, seenFrom(view)].join("\n");
  }

  /** The numbers of the passes that finish a picture; which of them there are goes by the radius. */
  private finishing(d: Drawable, effect: Effect, numbers: Numbers) {
    const on = (place: string) => outside(effect, d.compiled, numbers, place);
    return {
      threshold: on("stage/bloom/threshold"),
      exposure: on("stage/exposure"),
      strength: on("stage/bloom/strength"),
      radius: effect.stage.bloom.radius,
    };
  }

  /**
   * The whole picture: backdrop, far side, near side, bloom, exposure, tone mapping. Written to the
   * canvas, or to a target that is read back. `peek` ≥ 0 shows that node alone.
   */
  picture(
    d: Drawable,
    effect: Effect,
    numbers: Numbers,
    view: View,
    size: [number, number],
    peek: number,
    { into, wire, left }: Shown = {},
  ) {
    const [width, height] = size;
    const scene = this.light(d, effect, numbers, view, size, peek);
    const across = Math.min(width, height);
    const values = { ...this.finishing(d, effect, numbers), bare: peek >= 0 ? 1 : 0, across };
    const pictures: Record<string, WebGLRenderTarget> = { scene };
    for (const pass of d.compiled.passes) {
      if (across <= pass.above) continue;
      const last = pass.output === "picture";
      const [w, h] = levelSize(width, height, pass.level);
      const out = last ? into : this.target(`${pass.output} ${w} ${h}`, w, h, "half");
      this.renderer.setRenderTarget(out ?? null);
      if (last && !into) this.renderer.setViewport(0, 0, width, height);
      if (last && left !== undefined) {
        this.renderer.setScissor(0, 0, Math.round(width * left), height);
        this.renderer.setScissorTest(true);
      }
      this.fill(d.compiled, pass, values, pictures, [w, h]);
      if (out) pictures[pass.output] = out;
    }
    if (wire) this.draw(d.mesh.geometry, d.wire);
    this.renderer.setScissorTest(false);
    this.renderer.setRenderTarget(null);
  }

  /** The light of a picture before the passes over all of it: what a program of its own is made for. */
  light(d: Drawable, effect: Effect, numbers: Numbers, view: View, size: [number, number], peek = -1) {
    const [width, height] = size;
    const scene = this.onto(width, height);
    this.set(d, numbers, view, peek);
    this.behind(d, width, height);
    this.empty(scene);
    if (peek < 0) {
      d.backdrop.uniforms.size.value = new Vector2(width, height);
      d.backdrop.uniformsNeedUpdate = true;
      this.draw(this.quad, d.backdrop);
    }
    this.sides(d, effect, numbers, peek, scene);
    this.renderer.setRenderTarget(null);
    return scene;
  }

  /** A whole picture, put into a part of a target. */
  small(d: Drawable, effect: Effect, numbers: Numbers, view: View, cell: Cell) {
    const { size } = cell;
    const into = this.target(`whole ${size}`, size, size, "byte");
    this.picture(d, effect, numbers, view, [size, size], -1, { into });
    this.put(into, cell);
  }

  /** One node alone on the shape, put into a part of a target: no passes, no far side. */
  bead(d: Drawable, numbers: Numbers, view: View, peek: number, cell: Cell) {
    const { size } = cell;
    const alone = this.onto(size, size);
    this.set(d, numbers, view, peek);
    this.behind(d, size, size);
    this.empty(alone);
    this.draw(d.mesh.geometry, d.near);
    this.put(alone, cell);
  }

  private put(from: WebGLRenderTarget, { atlas, x, y, size }: Cell) {
    atlas.viewport.set(x, y, size, size);
    this.renderer.setRenderTarget(atlas);
    this.lay(this.copied, from, [x, y]);
    this.renderer.setRenderTarget(null);
  }

  /** What a shape is drawn into. */
  private onto = (width: number, height: number, name = "") =>
    this.target(`scene ${name} ${width} ${height}`, width, height, "half", SAMPLES);

  /** A picture over what is there, or in its place, from a point of it on. */
  private lay(how: RawShaderMaterial, from: WebGLRenderTarget, at: [number, number] = [0, 0]) {
    how.uniforms.layer.value = from.texture;
    how.uniforms.from.value = at;
    how.uniformsNeedUpdate = true;
    this.draw(this.quad, how);
  }

  /** The far side's normals and distances. */
  private behind(d: Drawable, w: number, h: number) {
    if (!d.back) return;
    const name = `back ${w} ${h}`;
    const layer = this.target(name, w, h, "float");
    this.empty(layer);
    this.draw(d.mesh.geometry, d.back);
    for (const { uniforms } of [d.near, d.far]) {
      uniforms.back_layer.value = layer.texture;
    }
  }

  private empty(target: WebGLRenderTarget) {
    this.renderer.setRenderTarget(target);
    this.renderer.setClearColor(0x000000, 0);
    this.renderer.clear();
  }

  private sides(d: Drawable, effect: Effect, numbers: Numbers, peek: number, scene: WebGLRenderTarget) {
    const sides = effect.surface.sides;
    const u = d.near.uniforms;
    if (peek >= 0 ? sides === "back" : sides !== "front") {
      u.side_strength.value = peek >= 0 ? 1 : (numbers.get(d.compiled.far)?.[0] ?? 1);
      u.near_side.value = false;
      u.camera_side.value = -1;
      const layer = peek < 0 && sides === "both" ? d.compiled.layer : "";
      if (layer) {
        // What the near side sees through itself is drawn by itself first.
        const apart = this.onto(scene.width, scene.height, "far");
        // What is drawn into must not be looked up; without anything like it in its place it is another program to some
        // drivers.
        const nothing = this.target("nothing", ODD, ODD, "half");
        this.empty(nothing);
        this.empty(apart);
        u.far_layer.value = nothing.texture;
        u.camera_alone.value = 1;
        d.far.uniformsNeedUpdate = true;
        this.draw(d.mesh.geometry, d.far);
        u.camera_alone.value = 0;
        d.far.uniformsNeedUpdate = true;
        this.renderer.setRenderTarget(scene);
        if (layer === "again") this.draw(d.mesh.geometry, d.far);
        u.far_layer.value = apart.texture;
        if (layer === "laid") {
          this.lay(this.over, apart);
        }
      } else this.draw(d.mesh.geometry, d.far);
      this.renderer.clearDepth();
    }
    if (peek >= 0 || sides !== "back") {
      u.side_strength.value = 1;
      u.near_side.value = true;
      u.camera_side.value = 1;
      d.near.uniformsNeedUpdate = true;
      this.draw(d.mesh.geometry, d.near);
    }
  }

  /** Whether no frame of a sequence that is to be seen is on its way; else the last that were there are shown. */
  whole = (d: Drawable, numbers: Numbers) => !played(d.compiled, numbers).some(([, here]) => here.coming);

  private set(d: Drawable, numbers: Numbers, view: View, peek: number) {
    for (const [name, { sheet }] of played(d.compiled, numbers))
      for (const m of sheet ? [d.near, d.backdrop, d.raised] : [])
        if (m) m.uniforms[name].value = sheet!.texture;
    const seen = { ...view.camera, camera_bare: peek >= 0 ? 1 : 0 };
    const own = {
      ...seen,
      view_projection: view.matrix,
      aspect: view.aspect,
      box_low: d.mesh.low,
      box_size: d.mesh.size,
      peek,
      side_strength: 1,
      near_side: true,
      camera_side: 1,
    };
    const reach = d.compiled.lamp && d.compiled.lamp.room * view.camera.camera_size * furthest(d.mesh);
    if (reach) Object.assign(own, { camera_reach: reach });
    for (const m of [d.near, d.backdrop, d.back, d.raised, d.lamp]) {
      if (!m) continue;
      for (const [name, value] of Object.entries(own)) if (name in m.uniforms) m.uniforms[name].value = value;
      if (m !== d.back)
        for (const { name, size } of d.compiled.uniforms) {
          const given = numbers.get(name)!;
          m.uniforms[name].value = size === 1 ? given[0] : given;
        }
      m.uniformsNeedUpdate = true;
    }
    d.far.uniformsNeedUpdate = true;
    this.raise(d);
    this.fromLamp(d);
  }

  /** The three squares of what the key lamp sees of the shape. */
  private fromLamp(d: Drawable) {
    if (!d.lamp) return;
    const { side } = d.compiled.lamp!;
    const squares = this.target("scene of the lamp", 3 * side, side, "half");
    squares.viewport.set(0, 0, 3 * side, side);
    this.empty(squares);
    for (let k = 0; k < 3; k++) {
      squares.viewport.set(k * side, 0, side, side);
      this.renderer.setRenderTarget(squares);
      d.lamp.uniforms.square.value = k;
      d.lamp.uniformsNeedUpdate = true;
      this.draw(d.mesh.geometry, d.lamp);
    }
    this.renderer.setRenderTarget(null);
    for (const { uniforms } of [d.near, d.backdrop]) uniforms.light_layer.value = squares.texture;
  }

  /** Each vertex's height and slopes as one texel of a picture, which the vertex programs then read. */
  private raise(d: Drawable) {
    if (!d.raised) return;
    const wide = Math.min(1024, d.mesh.vertices);
    const high = Math.ceil(d.mesh.vertices / wide);
    const heights = this.target(`heights ${wide} ${high}`, wide, high, "float");
    d.raised.uniforms.size.value = new Vector2(wide, high);
    this.renderer.setRenderTarget(heights);
    this.dots.geometry = d.mesh.dots;
    this.dots.material = d.raised;
    this.renderer.render(this.dots, this.camera);
    for (const m of [d.near, d.back, d.lamp]) {
      if (!m) continue;
      m.uniforms.heights.value = heights.texture;
    }
  }

  private draw(geometry: BufferGeometry, m: RawShaderMaterial) {
    this.drawn.geometry = geometry;
    this.drawn.material = m;
    this.renderer.render(this.scene, this.camera);
  }

  private fill(
    { filters }: Compiled,
    pass: Pass,
    values: Record<string, number>,
    pictures: Record<string, WebGLRenderTarget>,
    size: [number, number],
  ) {
    const filter = filters[pass.filter];
    const made = this.filter(filter);
    const u = made.uniforms;
    const given: Record<string, number> = { ...values, level: pass.level };
    for (const name of filter.numbers) u[name].value = given[name];
    // What was not drawn at this size is left empty, which reads as black.
    filter.samplers.forEach((name, i) => {
      u[name].value = pictures[pass.inputs[i]]?.texture ?? null;
    });
    u.size.value = new Vector2(...size);
    made.uniformsNeedUpdate = true;
    this.draw(this.quad, made);
  }

  /** A target by name, made once for a size; those of the sizes used last are kept. */
  target(
    name: string,
    width: number,
    height: number,
    kind: "byte" | "half" | "float",
    samples = 0,
  ): WebGLRenderTarget {
    let t = this.targets.get(name);
    if (t) this.targets.delete(name);
    else {
      // Those that were used longest ago: a picture that is under way needs its own.
      for (const [old, target] of this.targets) {
        if (this.targets.size < MOST_TARGETS) break;
        target.dispose();
        this.targets.delete(old);
      }
      t = new WebGLRenderTarget(width, height, {
        type: { byte: UnsignedByteType, half: HalfFloatType, float: FloatType }[kind],
        minFilter: NearestFilter,
        magFilter: NearestFilter,
        depthBuffer: name.startsWith("scene") || kind !== "half",
        samples,
      });
    }
    this.targets.set(name, t);
    return t;
  }

  /** Pixels of a target without stalling the picture; rows from the bottom. */
  async read(
    target: WebGLRenderTarget,
    width: number,
    height: number,
  ): Promise<Uint8ClampedArray<ArrayBuffer>> {
    const bytes = new Uint8Array(width * height * 4);
    await this.renderer.readRenderTargetPixelsAsync(target, 0, 0, width, height, bytes);
    return new Uint8ClampedArray(bytes.buffer);
  }
}

/**
 * A drawable with no more triangles than its shape shows in a picture so wide and high. Where they are displaced they are
 * what is seen to move, so their edges are doubled no more than so often.
 */
export function coarser(drawable: Drawable, view: View, size: number, displaced: number): Drawable {
  const most = drawable.raised ? displaced : undefined;
  return { ...drawable, mesh: shown(drawable.mesh, pixelsOfUnit(view, size), most) };
}

function levelSize(width: number, height: number, level: number): [number, number] {
  let [w, h] = [width, height];
  for (let i = 0; i < level; i++) [w, h] = [Math.ceil(w / 2), Math.ceil(h / 2)];
  return [w, h];
}

let shared: Painter | null = null;

/** The one painter of the page; throws where the browser has no WebGL2. */
export function painter(): Painter {
  shared ??= new Painter();
  return shared;
}
