import {
  BackSide,
  BufferAttribute,
  BufferGeometry,
  Camera,
  CustomBlending,
  Mesh as Drawn,
  FrontSide,
  GLSL3,
  HalfFloatType,
  LinearSRGBColorSpace,
  NearestFilter,
  NoBlending,
  OneFactor,
  OneMinusSrcAlphaFactor,
  RawShaderMaterial,
  Scene,
  UnsignedByteType,
  Vector2,
  Vector3,
  WebGLRenderer,
  WebGLRenderTarget,
} from "three";
import type { Compiled, Effect } from "../api/client";
import type { View } from "./camera";
import { type Mesh, mesh } from "./mesh";
import { picture } from "./picture";

/** Numbers for uniforms, by their names. */
export type Numbers = Map<string, number[]>;

type Pass = { material: RawShaderMaterial; output: string; level: number; inputs: string[] };

/** A program ready to draw. */
export type Drawable = {
  key: string;
  compiled: Compiled;
  near: RawShaderMaterial;
  far: RawShaderMaterial;
  passes: Pass[];
  mesh: Mesh;
  shape: string;
};

const QUAD_VERTEX = "in vec3 position;\nvoid main() { gl_Position = vec4(position.xy, 0.0, 1.0); }\n";
const bare = (source: string) => source.replace(/^#version.*\n/, "");

function material(vertexShader: string, fragmentShader: string, uniforms: string[]): RawShaderMaterial {
  return new RawShaderMaterial({
    glslVersion: GLSL3,
    vertexShader: bare(vertexShader),
    fragmentShader: bare(fragmentShader),
    uniforms: Object.fromEntries(uniforms.map((name) => [name, { value: null }])),
  });
}

/**
 * Draws programs with WebGL2. It knows nothing of shading: the core sends finished GLSL, and each
 * full-screen pass as a fragment with its inputs.
 */
export class Painter {
  readonly canvas = document.createElement("canvas");
  private readonly renderer: WebGLRenderer;
  private readonly scene = new Scene();
  private readonly drawn = new Drawn();
  private readonly camera = new Camera();
  private readonly quad = new BufferGeometry();
  private readonly targets = new Map<string, WebGLRenderTarget>();

  constructor() {
    this.renderer = new WebGLRenderer({ canvas: this.canvas, alpha: false, antialias: false, depth: false });
    this.renderer.outputColorSpace = LinearSRGBColorSpace;
    this.renderer.autoClear = false;
    this.renderer.setPixelRatio(1);
    this.drawn.frustumCulled = false;
    this.scene.add(this.drawn);
    this.quad.setAttribute(
      "position",
      new BufferAttribute(new Float32Array([-1, -1, 0, 3, -1, 0, -1, 3, 0]), 3),
    );
  }

  /** Compiles without blocking; what was drawn before can be drawn meanwhile. */
  async prepare(compiled: Compiled, shape: string, before?: Drawable): Promise<Drawable> {
    const ground = await mesh(shape);
    const passes = this.passes(compiled, before);
    if (before && before.key === compiled.key) {
      const ready = { ...before, compiled, passes, mesh: ground, shape };
      await this.warm(passes.map((p) => p.material));
      return ready;
    }
    const names = ["view_projection", "box_low", "box_size", "eye", "aspect", "peek", "side_strength"];
    const pictures = await Promise.all(compiled.pictures.map((p) => picture(p.hash, p.srgb)));
    const sampled = compiled.pictures.flatMap((p) => [p.name, `${p.name}_most`]);
    const all = [...names, ...sampled, ...compiled.uniforms.map((u) => u.name)];
    const near = material(compiled.vertex, compiled.fragment, all);
    near.side = FrontSide;
    near.transparent = true;
    near.blending = CustomBlending;
    near.blendSrc = OneFactor;
    near.blendDst = OneMinusSrcAlphaFactor;
    near.blendSrcAlpha = OneFactor;
    near.blendDstAlpha = OneMinusSrcAlphaFactor;
    compiled.pictures.forEach((p, i) => {
      near.uniforms[p.name].value = pictures[i];
      near.uniforms[`${p.name}_most`].value = pictures[i].mipmaps!.length - 1;
    });
    const far = near.clone();
    far.uniforms = near.uniforms;
    far.side = BackSide;
    // One program serves both sides, so compiling one is enough.
    await this.warm([near, ...passes.map((p) => p.material)]);
    return { key: compiled.key, compiled, near, far, passes, mesh: ground, shape };
  }

  private passes(compiled: Compiled, before?: Drawable): Pass[] {
    return compiled.passes.map((p, i) => {
      const old = before?.compiled.passes[i];
      const same = old && old.fragment === p.fragment;
      const made = same
        ? before!.passes[i].material
        : material(QUAD_VERTEX, p.fragment, ["size", ...p.inputs, ...p.numbers]);
      made.blending = NoBlending;
      made.depthTest = made.depthWrite = false;
      return { material: made, output: p.output, level: p.level, inputs: p.inputs };
    });
  }

  private async warm(materials: RawShaderMaterial[]) {
    const scene = new Scene();
    for (const m of materials) scene.add(new Drawn(this.quad, m));
    await this.renderer.compileAsync(scene, this.camera);
  }

  dispose(drawable: Drawable) {
    drawable.near.dispose();
    drawable.far.dispose();
  }

  resize(width: number, height: number) {
    const size = this.renderer.getSize(new Vector2());
    if (size.x !== width || size.y !== height) this.renderer.setSize(width, height, false);
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
    samples: number,
    into?: WebGLRenderTarget,
  ) {
    const [width, height] = size;
    const scene = this.target(`scene ${width} ${height} ${samples}`, width, height, true, samples);
    const stage = effect.stage;
    const values: Record<string, unknown> = {
      backdrop: new Vector3(...stage.backdrop.colour),
      threshold: stage.bloom.threshold,
      exposure: stage.exposure,
      strength: stage.bloom.strength / stage.bloom.radius,
      bare: peek >= 0 ? 1 : 0,
    };
    this.renderer.setRenderTarget(scene);
    this.renderer.setClearColor(0x000000, 0);
    this.renderer.clear();
    if (peek < 0) this.fill(d.passes[0], values, {}, width, height);
    this.sides(d, effect, numbers, view, peek);
    const pictures: Record<string, WebGLRenderTarget> = { scene };
    for (const pass of d.passes.slice(1)) {
      const last = pass.output === "picture";
      const [w, h] = levelSize(width, height, pass.level);
      const out = last ? into : this.target(`${pass.output} ${w} ${h}`, w, h, true, 0);
      this.renderer.setRenderTarget(out ?? null);
      if (last && !into) this.renderer.setViewport(0, 0, width, height);
      this.fill(pass, values, pictures, w, h);
      if (out) pictures[pass.output] = out;
    }
    this.renderer.setRenderTarget(null);
  }

  /** One node alone on the shape, straight into a part of a target: no passes, no far side. */
  bead(d: Drawable, numbers: Numbers, view: View, peek: number, atlas: WebGLRenderTarget, cell: number[]) {
    const [x, y, w, h] = cell;
    atlas.viewport.set(x, y, w, h);
    this.renderer.setRenderTarget(atlas);
    this.set(d, numbers, view, peek);
    this.draw(d.mesh.geometry, d.near);
    this.renderer.setRenderTarget(null);
  }

  private sides(d: Drawable, effect: Effect, numbers: Numbers, view: View, peek: number) {
    this.set(d, numbers, view, peek);
    const sides = effect.surface.sides;
    const strength = d.near.uniforms.side_strength;
    if (peek >= 0 ? sides === "back" : sides !== "front") {
      strength.value = peek >= 0 ? 1 : (numbers.get(d.compiled.far)?.[0] ?? 1);
      this.draw(d.mesh.geometry, d.far);
      this.renderer.clearDepth();
    }
    if (peek >= 0 || sides !== "back") {
      strength.value = 1;
      this.draw(d.mesh.geometry, d.near);
    }
  }

  private set(d: Drawable, numbers: Numbers, view: View, peek: number) {
    const u = d.near.uniforms;
    u.view_projection.value = view.matrix;
    u.eye.value = view.eye;
    u.aspect.value = view.aspect;
    u.box_low.value = d.mesh.low;
    u.box_size.value = d.mesh.size;
    u.peek.value = peek;
    u.side_strength.value = 1;
    for (const { name, size } of d.compiled.uniforms) {
      const given = numbers.get(name)!;
      u[name].value = size === 1 ? given[0] : given;
    }
    d.near.uniformsNeedUpdate = d.far.uniformsNeedUpdate = true;
  }

  private draw(geometry: BufferGeometry, m: RawShaderMaterial) {
    this.drawn.geometry = geometry;
    this.drawn.material = m;
    this.renderer.render(this.scene, this.camera);
  }

  private fill(
    pass: Pass,
    values: Record<string, unknown>,
    pictures: Record<string, WebGLRenderTarget>,
    w: number,
    h: number,
  ) {
    const u = pass.material.uniforms;
    for (const name of Object.keys(u)) if (name in values) u[name].value = values[name];
    for (const name of pass.inputs) u[name].value = pictures[name].texture;
    u.size.value = new Vector2(w, h);
    pass.material.uniformsNeedUpdate = true;
    this.draw(this.quad, pass.material);
  }

  /** A target by name, made once for a size; a handful of sizes are kept. */
  target(name: string, width: number, height: number, half: boolean, samples = 0): WebGLRenderTarget {
    let t = this.targets.get(name);
    if (!t) {
      if (this.targets.size > 160) this.forget();
      t = new WebGLRenderTarget(width, height, {
        type: half ? HalfFloatType : UnsignedByteType,
        minFilter: NearestFilter,
        magFilter: NearestFilter,
        depthBuffer: name.startsWith("scene") || !half,
        samples,
      });
      this.targets.set(name, t);
    }
    return t;
  }

  private forget() {
    for (const t of this.targets.values()) t.dispose();
    this.targets.clear();
  }

  clear(target: WebGLRenderTarget) {
    target.viewport.set(0, 0, target.width, target.height);
    this.renderer.setRenderTarget(target);
    this.renderer.setClearColor(0x000000, 0);
    this.renderer.clear();
    this.renderer.setRenderTarget(null);
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
