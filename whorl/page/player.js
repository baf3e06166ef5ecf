// Plays one effect made with Whorl, by itself: WebGL2 and nothing else.

/**
 * Plays an effect in a box of a page. `bytes` are what was packed, `say` tells people what is wrong. Gives what it is
 * steered by; null where it cannot be drawn.
 */
async function whorlPlay(bytes, stageBox, say) {
  "use strict";

  /** What is carried, packed: a JSON, and the numbers that it speaks of. */
  async function unpacked() {
    const stream = new Blob([bytes]).stream().pipeThrough(new DecompressionStream("deflate"));
    const all = await new Response(stream).arrayBuffer();
    const [long] = new Uint32Array(all, 0, 1);
    const data = JSON.parse(new TextDecoder().decode(new Uint8Array(all, 4, long)));
    data.numbers = all.slice(4 + long);
    return data;
  }

  const effect = await unpacked();
  const { program, stage, turn } = effect;
  const canvas = document.createElement("canvas");
  canvas.setAttribute("role", "img");
  canvas.setAttribute("aria-label", effect.name);
  stageBox.append(canvas);
  const gl = canvas.getContext("webgl2", { antialias: false, alpha: false, depth: false });
  if (!gl || !gl.getExtension("EXT_color_buffer_float")) {
    say("This browser cannot draw it: WebGL 2 with pictures of floats is needed.");
    return null;
  }

  // --- programs ---------------------------------------------------------------------------

  const QUAD = "#version 300 es\nin vec3 position;\nvoid main() { gl_Position = vec4(position.xy, 0.0, 1.0); }\n";
  const LAY =
    "#version 300 es\nprecision highp float;\nuniform highp sampler2D far_layer;\nout vec4 laid;\n" +
    "void main() { laid = texelFetch(far_layer, ivec2(gl_FragCoord.xy), 0); }\n";
  const ATTRIBUTES = ["position", "normal", "uv", "along_u", "along_v", "together", "shared_normal", "colour", "second_uv", "second_u", "second_v"];

  function shader(kind, source) {
    const made = gl.createShader(kind);
    gl.shaderSource(made, source);
    gl.compileShader(made);
    return made;
  }

  /** A program with a setter that knows the type of each of its uniforms. */
  function linked(vertex, fragment) {
    const made = gl.createProgram();
    gl.attachShader(made, shader(gl.VERTEX_SHADER, vertex));
    gl.attachShader(made, shader(gl.FRAGMENT_SHADER, fragment));
    ATTRIBUTES.forEach((name, i) => gl.bindAttribLocation(made, i, name));
    gl.linkProgram(made);
    return { made, ready: null };
  }

  function prepared(p) {
    if (p.ready) return p.ready;
    if (!gl.getProgramParameter(p.made, gl.LINK_STATUS)) throw new Error(gl.getProgramInfoLog(p.made) ?? "");
    const uniforms = new Map();
    let unit = 0;
    for (let i = 0; i < gl.getProgramParameter(p.made, gl.ACTIVE_UNIFORMS); i++) {
      const { name, type } = gl.getActiveUniform(p.made, i);
      const plain = name.replace(/\[0\]$/, "");
      const texture = type === gl.SAMPLER_2D;
      uniforms.set(plain, { at: gl.getUniformLocation(p.made, name), type, unit: texture ? unit++ : -1 });
    }
    p.ready = uniforms;
    return uniforms;
  }

  function put(p, values) {
    gl.useProgram(p.made);
    for (const [name, { at, type, unit }] of prepared(p)) {
      const v = values[name];
      if (type === gl.SAMPLER_2D) {
        gl.activeTexture(gl.TEXTURE0 + unit);
        gl.bindTexture(gl.TEXTURE_2D, v ?? nothing);
        gl.uniform1i(at, unit);
      } else if (v === undefined) continue;
      else if (type === gl.FLOAT) gl.uniform1f(at, typeof v === "number" ? v : v[0]);
      else if (type === gl.FLOAT_VEC2) gl.uniform2fv(at, v);
      else if (type === gl.FLOAT_VEC3) gl.uniform3fv(at, v);
      else if (type === gl.FLOAT_VEC4) gl.uniform4fv(at, v);
      else if (type === gl.INT_VEC2) gl.uniform2iv(at, v);
      else if (type === gl.FLOAT_MAT4) gl.uniformMatrix4fv(at, false, v);
      else gl.uniform1i(at, Number(v));
    }
  }

  const near = linked(program.vertex, program.fragment);
  const backdrop = linked(QUAD, program.backdrop);
  const back = program.back ? linked(program.vertex, program.back) : null;
  const lamp = program.lamp ? linked(program.lamp.vertex, program.lamp.fragment) : null;
  const raised = program.raised ? linked(program.raised.vertex, program.raised.fragment) : null;
  const lay = linked(QUAD, LAY);
  const filters = program.filters.map((f) => ({ ...f, program: linked(QUAD, f.fragment) }));

  // --- shape ------------------------------------------------------------------------------

  // In place of a layer that is not there, and like one: with another kind it is another program to some drivers.
  const nothing = gl.createTexture();
  gl.bindTexture(gl.TEXTURE_2D, nothing);
  gl.texStorage2D(gl.TEXTURE_2D, 1, gl.RGBA16F, 3, 3);
  for (const side of [gl.TEXTURE_MIN_FILTER, gl.TEXTURE_MAG_FILTER]) gl.texParameteri(gl.TEXTURE_2D, side, gl.NEAREST);

  /** Columns of 16 bits, each kept as differences in two planes of bytes, as numbers between their ends. */
  function column(from, count, [low, high], steps) {
    const bytes = new Uint8Array(effect.numbers, from, count * 2);
    const out = new Float32Array(count);
    let last = 0;
    for (let i = 0; i < count; i++) {
      last = (last + bytes[i] + bytes[count + i] * 256) & 0xffff;
      out[i] = low + ((high - low) * last) / steps;
    }
    return out;
  }

  function buffer(kind, data) {
    const made = gl.createBuffer();
    gl.bindBuffer(kind, made);
    gl.bufferData(kind, data, gl.STATIC_DRAW);
    return made;
  }

  const { vertices, triangles, attributes, index } = effect.mesh;
  const kept = {};
  const shape = gl.createVertexArray();
  gl.bindVertexArray(shape);
  for (const { name, columns } of attributes) {
    const parts = columns.map((c) => column(c.from, vertices, c.ends, c.steps));
    const data = new Float32Array(vertices * parts.length);
    parts.forEach((part, k) => part.forEach((x, i) => (data[i * parts.length + k] = x)));
    if (name === "position" || name === "uv") kept[name] = data;
    buffer(gl.ARRAY_BUFFER, data);
    gl.enableVertexAttribArray(ATTRIBUTES.indexOf(name));
    gl.vertexAttribPointer(ATTRIBUTES.indexOf(name), parts.length, gl.FLOAT, false, 0, 0);
  }
  const planes = new Uint8Array(effect.numbers, index, triangles * 3 * 4);
  const corners = new Uint32Array(triangles * 3);
  // Corner by corner, as differences from triangle to triangle, in four planes of bytes.
  const all = corners.length;
  for (let k = 0; k < 3; k++) {
    let last = 0;
    for (let t = 0; t < triangles; t++) {
      const i = k * triangles + t;
      last = (last + planes[i] + planes[all + i] * 256 + planes[2 * all + i] * 65536 + planes[3 * all + i] * 16777216) >>> 0;
      corners[3 * t + k] = last;
    }
  }
  buffer(gl.ELEMENT_ARRAY_BUFFER, corners);
  const quad = gl.createVertexArray();
  gl.bindVertexArray(quad);
  buffer(gl.ARRAY_BUFFER, new Float32Array([-1, -1, 0, 3, -1, 0, -1, 3, 0]));
  gl.enableVertexAttribArray(0);
  gl.vertexAttribPointer(0, 3, gl.FLOAT, false, 0, 0);
  gl.bindVertexArray(null);

  const draw = (p, values, whole = false) => {
    put(p, values);
    gl.bindVertexArray(whole ? quad : shape);
    if (whole) gl.drawArrays(gl.TRIANGLES, 0, 3);
    else gl.drawElements(gl.TRIANGLES, triangles * 3, gl.UNSIGNED_INT, 0);
    gl.bindVertexArray(null);
  };

  const sheets = new Map();
  function sheet(from, wide, high) {
    if (sheets.has(from)) return sheets.get(from);
    const texture = gl.createTexture();
    gl.bindTexture(gl.TEXTURE_2D, texture);
    const halves = new Uint16Array(effect.numbers, from, wide * high * 4);
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA16F, wide, high, 0, gl.RGBA, gl.HALF_FLOAT, halves);
    for (const side of [gl.TEXTURE_MIN_FILTER, gl.TEXTURE_MAG_FILTER]) gl.texParameteri(gl.TEXTURE_2D, side, gl.NEAREST);
    sheets.set(from, texture);
    return texture;
  }

  /** The pictures as a program takes them; of a sequence the frame that a number counts to, or so many ahead. */
  function textures(own) {
    const out = {};
    for (const { name, wide, high, size, from, at, ahead } of effect.pictures) {
      const frame = at ? (Math.floor(Math.fround(own[at][0])) + ahead) % from.length : 0;
      out[name] = sheet(from[frame], wide, high);
      out[`${name}_size`] = size;
    }
    return out;
  }

  // --- targets ----------------------------------------------------------------------------

  const targets = new Map();
  function target(name, w, h, kind = gl.RGBA16F, depth = false, samples = 0) {
    const key = `${name} ${w} ${h}`;
    let t = targets.get(key);
    if (t) return t;
    const texture = gl.createTexture();
    gl.bindTexture(gl.TEXTURE_2D, texture);
    gl.texStorage2D(gl.TEXTURE_2D, 1, kind, w, h);
    for (const side of [gl.TEXTURE_MIN_FILTER, gl.TEXTURE_MAG_FILTER]) gl.texParameteri(gl.TEXTURE_2D, side, gl.NEAREST);
    const frame = gl.createFramebuffer();
    gl.bindFramebuffer(gl.FRAMEBUFFER, frame);
    gl.framebufferTexture2D(gl.FRAMEBUFFER, gl.COLOR_ATTACHMENT0, gl.TEXTURE_2D, texture, 0);
    if (samples) {
      // Drawn with several samples a pixel, and then brought down to the texture.
      const several = gl.createFramebuffer();
      gl.bindFramebuffer(gl.FRAMEBUFFER, several);
      for (const [kind, at] of [
        [gl.RGBA16F, gl.COLOR_ATTACHMENT0],
        [gl.DEPTH_COMPONENT24, gl.DEPTH_ATTACHMENT],
      ]) {
        const kept = gl.createRenderbuffer();
        gl.bindRenderbuffer(gl.RENDERBUFFER, kept);
        gl.renderbufferStorageMultisample(gl.RENDERBUFFER, samples, kind, w, h);
        gl.framebufferRenderbuffer(gl.FRAMEBUFFER, at, gl.RENDERBUFFER, kept);
      }
      t = { texture, frame: several, plain: frame, w, h };
      targets.set(key, t);
      return t;
    }
    if (depth) {
      const kept = gl.createRenderbuffer();
      gl.bindRenderbuffer(gl.RENDERBUFFER, kept);
      gl.renderbufferStorage(gl.RENDERBUFFER, gl.DEPTH_COMPONENT24, w, h);
      gl.framebufferRenderbuffer(gl.FRAMEBUFFER, gl.DEPTH_ATTACHMENT, gl.RENDERBUFFER, kept);
    }
    t = { texture, frame, w, h };
    targets.set(key, t);
    return t;
  }
  const into = (t, clear) => {
    gl.bindFramebuffer(gl.FRAMEBUFFER, t.frame);
    gl.viewport(0, 0, t.w, t.h);
    if (clear) {
      gl.clearColor(0, 0, 0, 0);
      gl.clear(gl.COLOR_BUFFER_BIT | gl.DEPTH_BUFFER_BIT);
    }
  };
  const resolved = (t) => {
    gl.bindFramebuffer(gl.READ_FRAMEBUFFER, t.frame);
    gl.bindFramebuffer(gl.DRAW_FRAMEBUFFER, t.plain);
    gl.blitFramebuffer(0, 0, t.w, t.h, 0, 0, t.w, t.h, gl.COLOR_BUFFER_BIT, gl.NEAREST);
  };
  const over = (on) => {
    if (on) gl.enable(gl.BLEND);
    else gl.disable(gl.BLEND);
    gl.blendFunc(gl.ONE, gl.ONE_MINUS_SRC_ALPHA);
  };
  /** Depth and sides: which faces are culled; none where the whole picture is filled. */
  const solid = (culled) => {
    if (culled === null) {
      gl.disable(gl.DEPTH_TEST);
      gl.disable(gl.CULL_FACE);
    } else {
      gl.enable(gl.DEPTH_TEST);
      gl.depthFunc(gl.LEQUAL);
      gl.enable(gl.CULL_FACE);
      gl.cullFace(culled);
    }
  };

  // --- camera -----------------------------------------------------------------------------

  const orbit = { yaw: stage.camera.yaw, pitch: stage.camera.pitch, distance: stage.camera.distance };
  const cross = (a, b) => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
  const dot = (a, b) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
  const unit = (a) => a.map((x) => x / Math.hypot(...a));

  /** The camera where it has gone to, beside where a person turned it. */
  function travelled(own) {
    const out = { ...orbit, view: stage.camera.view, target: stage.camera.target };
    for (const [name, { by, way, hard }] of Object.entries(stage.travel)) {
      const made = [out[name]].flat().map((x, i) => TRAVELLED[way](x, own[by][i], ...hard));
      out[name] = Array.isArray(out[name]) ? made : made[0];
    }
    return out;
  }

  function seen(w, h, own) {
    const there = travelled(own);
    const [yaw, pitch] = [there.yaw, there.pitch].map((x) => (x * Math.PI) / 180);
    const out = [Math.sin(yaw) * Math.cos(pitch), Math.sin(pitch), Math.cos(yaw) * Math.cos(pitch)];
    const aim = there.target;
    const eye = out.map((x, i) => x * there.distance + aim[i]);
    const right = unit(cross([0, 1, 0], out));
    const up = cross(out, right);
    const half = Math.tan((there.view * Math.PI) / 360);
    const tall = h > w ? h / w : 1;
    const [fy, n, f] = [1 / (half * tall), 0.05, 200];
    const fx = (fy * h) / w;
    const [a, b] = [(f + n) / (n - f), (2 * f * n) / (n - f)];
    const to = [right, up, out].map((axis) => -dot(axis, eye));
    // Projection times view, column by column.
    const matrix = [];
    for (let c = 0; c < 4; c++) {
      const [x, y, z] = c < 3 ? [right[c], up[c], out[c]] : to;
      matrix.push(fx * x, fy * y, a * z + (c === 3 ? b : 0), -z);
    }
    const least = Math.min(w, h);
    return {
      view_projection: matrix,
      aspect: [w / least, h / least],
      camera_eye: eye,
      camera_right: right,
      camera_up: up,
      camera_scale: 1 / half,
      camera_pixel: (2 * half) / least,
      camera_size: stage.size,
      camera_reach: stage.reach,
      camera_alone: 0,
      camera_bare: 0,
      camera_side: 1,
      box_low: effect.mesh.low,
      box_size: effect.mesh.size,
      peek: -1,
      side_strength: 1,
      near_side: true,
    };
  }

  // --- numbers ----------------------------------------------------------------------------

  const levers = new Map(effect.levers.map((l) => [l.id, l.value]));
  const moved = new Set();
  function numbers(frame) {
    const out = {};
    for (const u of program.uniforms) {
      const has = u.lever && (moved.has(u.lever) || !u.rows);
      const value = has ? levers.get(u.lever) : u.rows ? u.rows[frame % u.rows.length] : u.value;
      out[u.name] = [value].flat().map(Number);
    }
    for (const { id, ways } of effect.levers)
      if (ways && moved.has(id)) for (const [name, x] of Object.entries(ways[levers.get(id)]?.puts ?? {})) out[name] = [...x];
    for (const [name, { way, given, rest }] of Object.entries(effect.made))
      out[name] = rest.map((x, i) => {
        const args = given.map((a) => (typeof a === "string" ? out[a] : a)).map((a) => a[i] ?? a[0]);
        return way ? LEVERED[way](...args) : x;
      });
    struck(out);
    return out;
  }

  /** What struck while it plays, each in a slot of its own behind those that the effect has: where, when, which uv. */
  const strikes = [];
  const clock = () => performance.now() / 1000;
  function struck(out) {
    const { hits } = effect;
    if (!hits) return;
    strikes.forEach(({ at, position, strength, uv }, n) => {
      const slot = 4 * (hits.taken + n);
      const since = clock() - at;
      if (since > hits.known) return;
      if (out[hits.places]) [...position, strength].forEach((x, k) => (out[hits.places][slot + k] = x));
      if (out[hits.ages]) [since, hits.known, ...uv].forEach((x, k) => (out[hits.ages][slot + k] = x));
    });
  }

  /** The texture coordinates of the vertex that lies nearest. */
  function nearest(position) {
    let [best, least] = [0, Number.POSITIVE_INFINITY];
    for (let i = 0; i < vertices; i++) {
      const off = [0, 1, 2].reduce((sum, k) => sum + (kept.position[3 * i + k] - position[k]) ** 2, 0);
      if (off < least) [best, least] = [i, off];
    }
    return [kept.uv?.[2 * best] ?? 0, kept.uv?.[2 * best + 1] ?? 0];
  }
  function hit(position, strength = 1) {
    const { hits } = effect;
    if (!hits || hits.taken >= hits.most) return false;
    if (strikes.length >= hits.most - hits.taken) strikes.shift();
    strikes.push({ at: clock(), position, strength, uv: nearest(position) });
    stale = true;
    return true;
  }

  // --- a picture --------------------------------------------------------------------------

  /** Draws a frame on the canvas, or onto a target. */
  function picture(w, h, frame, onto) {
    const own = numbers(frame);
    const values = { ...seen(w, h, own), ...textures(own), ...own, size: [w, h] };
    if (raised) {
      const wide = Math.min(1024, vertices);
      const high = Math.ceil(vertices / wide);
      const heights = target("heights", wide, high, gl.RGBA32F);
      into(heights, true);
      solid(null);
      over(false);
      put(raised, { ...values, size: [wide, high] });
      gl.bindVertexArray(shape);
      gl.drawArrays(gl.POINTS, 0, vertices);
      gl.bindVertexArray(null);
      values.heights = heights.texture;
    }
    if (lamp) {
      const { side } = program.lamp;
      const squares = target("lamp", 3 * side, side, gl.RGBA16F, true);
      into(squares, true);
      solid(gl.BACK);
      gl.disable(gl.CULL_FACE);
      over(false);
      for (let square = 0; square < 3; square++) {
        gl.viewport(square * side, 0, side, side);
        draw(lamp, { ...values, square });
      }
      values.light_layer = squares.texture;
    }
    if (back) {
      const layer = target("back", w, h, gl.RGBA32F, true);
      into(layer, true);
      solid(gl.FRONT);
      over(false);
      draw(back, values);
      values.back_layer = layer.texture;
    }
    const scene = target("scene", w, h, gl.RGBA16F, true, 4);
    into(scene, true);
    solid(null);
    over(false);
    draw(backdrop, values, true);
    over(true);
    const { sides } = effect;
    if (sides !== "front") {
      const far = { ...values, side_strength: own[program.far]?.[0] ?? 1, near_side: false, camera_side: -1 };
      const layer = sides === "both" ? program.layer : "";
      if (layer) {
        const apart = target("scene far", w, h, gl.RGBA16F, true, 4);
        into(apart, true);
        solid(gl.FRONT);
        draw(near, { ...far, camera_alone: 1 });
        resolved(apart);
        into(scene, false);
        if (layer === "again") draw(near, far);
        values.far_layer = apart.texture;
        if (layer === "laid") {
          solid(null);
          draw(lay, values, true);
        }
      } else {
        solid(gl.FRONT);
        draw(near, far);
      }
      gl.clear(gl.DEPTH_BUFFER_BIT);
    }
    if (sides !== "back") {
      solid(gl.BACK);
      draw(near, values);
    }
    over(false);
    solid(null);
    resolved(scene);
    const pictures = { scene };
    const across = Math.min(w, h);
    for (const pass of program.passes) {
      if (across <= pass.above) continue;
      let [pw, ph] = [w, h];
      for (let i = 0; i < pass.level; i++) [pw, ph] = [Math.ceil(pw / 2), Math.ceil(ph / 2)];
      const last = pass.output === "picture";
      if (last) {
        gl.bindFramebuffer(gl.FRAMEBUFFER, onto?.frame ?? null);
        gl.viewport(0, 0, w, h);
      } else {
        pictures[pass.output] = target(pass.output, pw, ph);
        into(pictures[pass.output], false);
      }
      const given = { ...effect.finish, size: [pw, ph], level: pass.level, across };
      for (const [name, number] of Object.entries(effect.moved)) given[name] = own[number][0];
      const filter = filters[pass.filter];
      filter.samplers.forEach((name, i) => {
        given[name] = pictures[pass.inputs[i]]?.texture;
      });
      draw(filter.program, given, true);
    }
  }

  // --- time -------------------------------------------------------------------------------

  let playing = !window.matchMedia("(prefers-reduced-motion: reduce)").matches;
  let phase = 0;
  let last = 0;
  let drawn = "";
  let stale = true;
  let ended = false;
  /** Told whenever a lever, the phase or playing changes: what, and what it is now. */
  const followers = new Set();
  const tell = (what, now) => {
    for (const f of followers) f(what, now);
  };

  function tick(now) {
    if (ended) return;
    requestAnimationFrame(tick);
    const passed = Math.min(250, now - last) / 1000;
    last = now;
    if (playing) {
      const by = (passed * turn.frames) / (turn.seconds * turn.steps);
      phase = turn.looping ? (phase + by) % 1 : phase >= 1 ? 0 : Math.min(1, phase + by);
    }
    const frame = Math.min(turn.frames - 1, Math.floor(phase * turn.steps + 1e-6));
    const box = stageBox.getBoundingClientRect();
    const dense = Math.min(window.devicePixelRatio || 1, 2);
    const [w, h] = [box.width, box.height].map((x) => Math.max(16, Math.round(x * dense)));
    const key = `${frame} ${w} ${h} ${orbit.yaw} ${orbit.pitch} ${orbit.distance}`;
    const live = strikes.some((s) => clock() - s.at < (effect.hits?.known ?? 0));
    if (key === drawn && !stale && !live) return;
    drawn = key;
    stale = false;
    if (canvas.width !== w || canvas.height !== h) {
      [canvas.width, canvas.height] = [w, h];
      for (const t of targets.values()) {
        gl.deleteTexture(t.texture);
        gl.deleteFramebuffer(t.frame);
      }
      targets.clear();
    }
    picture(w, h, frame);
    shownFrame = frame;
    tell("phase", phase);
  }
  let shownFrame;

  // --- by hand ----------------------------------------------------------------------------

  const turned = (yaw, pitch) => {
    orbit.yaw = ((orbit.yaw + yaw + 540) % 360) - 180;
    orbit.pitch = Math.max(-89, Math.min(89, orbit.pitch + pitch));
  };
  const nearer = (by) => {
    orbit.distance = Math.max(0.5, Math.min(40, orbit.distance * by));
  };
  canvas.onpointerdown = (e) => canvas.setPointerCapture(e.pointerId);
  canvas.onpointermove = (e) => e.buttons && turned(-e.movementX * 0.45, e.movementY * 0.45);
  canvas.addEventListener("wheel", (e) => (e.preventDefault(), nearer(Math.exp(e.deltaY * 0.001))), { passive: false });
  canvas.tabIndex = 0;
  canvas.onkeydown = (e) => {
    const act = {
      ArrowLeft: () => turned(-5, 0),
      ArrowRight: () => turned(5, 0),
      ArrowUp: () => turned(0, 5),
      ArrowDown: () => turned(0, -5),
      "+": () => nearer(0.94),
      "-": () => nearer(1.06),
    }[e.key];
    if (!act) return;
    e.preventDefault();
    act();
  };

  const set = (id, value) => {
    levers.set(id, value);
    moved.add(id);
    stale = true;
    tell("lever", id);
  };
  requestAnimationFrame(tick);
  return {
    effect,
    levers,
    set,
    hit,
    follow: (f) => (followers.add(f), () => followers.delete(f)),
    get playing() {
      return playing;
    },
    set playing(on) {
      playing = on;
      tell("playing", on);
    },
    get phase() {
      return phase;
    },
    set phase(x) {
      phase = turn.looping ? ((x % 1) + 1) % 1 : Math.min(1, Math.max(0, x));
      stale = true;
    },
    get frame() {
      return shownFrame;
    },
    /** The bytes of a square picture of a frame, rows from the bottom. */
    pixels(size, frame) {
      // The canvas keeps what it shows, and may be smaller.
      picture(size, size, frame, target("taken", size, size, gl.RGBA8));
      const out = new Uint8Array(size * size * 4);
      gl.readPixels(0, 0, size, size, gl.RGBA, gl.UNSIGNED_BYTE, out);
      return [...out];
    },
    /** Nothing of it runs or is kept afterwards. */
    stop() {
      ended = true;
      followers.clear();
      canvas.remove();
      gl.getExtension("WEBGL_lose_context")?.loseContext();
    },
  };
}
