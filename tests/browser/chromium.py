"""Headless Chromium with WebGL2 in software, and a page that draws one program."""

import base64
import os
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from http.server import BaseHTTPRequestHandler, HTTPServer
from pathlib import Path
from queue import Queue
from threading import Thread
from typing import Any

import numpy as np
from numpy.typing import NDArray
from playwright.sync_api import Browser, Page, sync_playwright

from whorl.images import library
from whorl.plan.build import Planned
from whorl.plan.print.program import Program, program
from whorl.plan.run.evaluate import AHEAD

# Without a window that nobody sees it takes a tenth less than the whole browser does.
PATH = os.environ.get("CHROMIUM", "/usr/bin/chromium-headless-shell")
COMMON = [
    "--no-sandbox",
    "--no-first-run",
    "--disable-quic",
    "--disable-sync",
    "--disable-background-networking",
    "--disable-component-update",
    # An address bar that nobody sees is a page of its own for each window.
    "--disable-features=WebUIOmniboxPopup,WebUIOmniboxAimPopup,WebUIOmniboxFullPopup",
]
# To put the page together in software GL as well would take ten times as long as to draw what is on it.
MESA = ["--use-gl=angle", "--use-angle=gl-egl", "--ignore-gpu-blocklist", "--disable-gpu-compositing"]
#: A test's page is gone before its script would have gained by being optimised, or its memory by being looked through:
#: each effect that was opened had all of it marked, by threads that took from other tests.
SHORT = ["--js-flags=--no-opt,--no-maglev,--initial-heap-size=512,--min-semi-space-size=16,--single-threaded-gc"]
FALLBACK = ["--use-angle=swiftshader", "--enable-unsafe-swiftshader"]


def has_mesa() -> bool:
    """Whether Debian's software GL is there; it is four times as fast as the fall-back."""
    return any(Path("/usr/lib").glob("*/dri/swrast_dri.so")) or any(Path("/usr/lib").glob("*/libgallium*.so"))


@contextmanager
def chromium(seldom: bool = False) -> Iterator[Browser]:
    """A browser that is closed afterwards. Where pages are used but seldom, nothing of them is made for long use."""
    with sync_playwright() as p:
        args = [*COMMON, *(MESA if has_mesa() else FALLBACK), *(SHORT if seldom else ())]
        browser = p.chromium.launch(executable_path=PATH, args=args)
        yield browser
        browser.close()


def frame_of(page: Page, size: int, number: int) -> "np.ndarray | None":
    """A frame as the page's painter draws it, (size, size, 3) in 0..255 with row 0 at the top; None before it can."""
    script = """async ([size, number]) => {
  const bytes = Uint8Array.from((await window.whorlPixels?.(size, number)) ?? []);
  // Number by number they would take longer on their way than to draw.
  let text = "";
  for (let i = 0; i < bytes.length; i += 32768) text += String.fromCharCode(...bytes.subarray(i, i + 32768));
  return btoa(text);
}"""
    got = base64.b64decode(page.evaluate(script, [size, number]))
    return np.frombuffer(got, np.uint8).reshape(size, size, 4)[::-1, :, :3].astype(float) if got else None


SCRIPT = """
async (job) => {
  const gl = (window.gl ??= (() => {
    const gl = document.createElement("canvas").getContext("webgl2");
    gl.getExtension("EXT_color_buffer_float");
    gl.getExtension("EXT_float_blend");
    // Of what fills its target and asks for nothing of what is there Mesa makes two programs: this is the same in one.
    gl.enable(gl.BLEND);
    gl.blendFunc(gl.ONE, gl.ZERO);
    return gl;
  })());
  const shader = (type, text) => {
    const s = gl.createShader(type);
    gl.shaderSource(s, text);
    gl.compileShader(s);
    if (!gl.getShaderParameter(s, gl.COMPILE_STATUS)) throw new Error(gl.getShaderInfoLog(s));
    return s;
  };
  const known = (window.programs ??= new Map());
  let program = known.get(job.program);
  if (!program) {
    program = gl.createProgram();
    gl.attachShader(program, shader(gl.VERTEX_SHADER, job.vertex));
    gl.attachShader(program, shader(gl.FRAGMENT_SHADER, job.fragment));
    gl.linkProgram(program);
    if (!gl.getProgramParameter(program, gl.LINK_STATUS)) throw new Error(gl.getProgramInfoLog(program));
    known.set(job.program, program);
  }
  gl.useProgram(program);
  const buffer = (name, size, data) => {
    const at = gl.getAttribLocation(program, name);
    if (at < 0) return;
    gl.bindBuffer(gl.ARRAY_BUFFER, gl.createBuffer());
    gl.bufferData(gl.ARRAY_BUFFER, new Float32Array(data), gl.STATIC_DRAW);
    gl.enableVertexAttribArray(at);
    gl.vertexAttribPointer(at, size, gl.FLOAT, false, 0, 0);
  };
  buffer("position", 3, [-1, -1, 0, 1, -1, 0, -1, 1, 0, 1, 1, 0]);
  buffer("normal", 3, [0, 0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 1]);
  buffer("uv", 2, [0, 0, 1, 0, 0, 1, 1, 1]);
  buffer("along_u", 3, [0.5, 0, 0, 0.5, 0, 0, 0.5, 0, 0, 0.5, 0, 0]);
  buffer("along_v", 3, [0, 0.5, 0, 0, 0.5, 0, 0, 0.5, 0, 0, 0.5, 0]);
  buffer("colour", 4, new Array(16).fill(1));
  buffer("second_uv", 2, [0, 0, 1, 0, 0, 1, 1, 1]);
  buffer("second_u", 3, [0.5, 0, 0, 0.5, 0, 0, 0.5, 0, 0, 0.5, 0, 0]);
  buffer("second_v", 3, [0, 0.5, 0, 0, 0.5, 0, 0, 0.5, 0, 0, 0.5, 0]);
  const set = (name, values) => {
    const at = gl.getUniformLocation(program, name);
    if (!at) return;
    const v = Float32Array.from(values);
    const by = { 1: "uniform1fv", 2: "uniform2fv", 3: "uniform3fv" };
    if (name === "view_projection") gl.uniformMatrix4fv(at, false, v);
    else if (name === "peek") gl.uniform1i(at, values[0]);
    else gl[(by[v.length] ?? "uniform4fv")](at, v);
  };
  for (const [name, values] of Object.entries(job.uniforms)) set(name, values);
  (job.pictures ?? []).forEach((p, unit) => {
    const raw = Uint8Array.from(atob(p.texels), (c) => c.charCodeAt(0));
    const texels = new Uint16Array(raw.buffer);
    gl.activeTexture(gl.TEXTURE0 + unit);
    gl.bindTexture(gl.TEXTURE_2D, gl.createTexture());
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA16F, p.wide, p.high, 0, gl.RGBA, gl.HALF_FLOAT, texels);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAG_FILTER, gl.NEAREST);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, gl.NEAREST);
    gl.uniform1i(gl.getUniformLocation(program, p.name), unit);
    gl.uniform4iv(gl.getUniformLocation(program, p.name + "_size"), p.size);
  });
  gl.activeTexture(gl.TEXTURE0 + 15);
  const n = job.size;
  const texture = gl.createTexture();
  gl.bindTexture(gl.TEXTURE_2D, texture);
  gl.texStorage2D(gl.TEXTURE_2D, 1, gl.RGBA32F, n, n);
  const frame = gl.createFramebuffer();
  gl.bindFramebuffer(gl.FRAMEBUFFER, frame);
  gl.framebufferTexture2D(gl.FRAMEBUFFER, gl.COLOR_ATTACHMENT0, gl.TEXTURE_2D, texture, 0);
  gl.viewport(0, 0, n, n);
  const drawn = job.peeks.map((peek) => {
    set("peek", [peek]);
    const pixels = new Float32Array(n * n * 4);
    gl.drawArrays(gl.TRIANGLE_STRIP, 0, 4);
    gl.readPixels(0, 0, n, n, gl.RGBA, gl.FLOAT, pixels);
    return pixels;
  });
  gl.deleteTexture(texture);
  gl.deleteFramebuffer(frame);
  await fetch("/", { method: "POST", body: new Blob(drawn) });
}
"""
#: The square of side 2 seen straight on, with the viewer infinitely far away for what matters here.
FLAT = {
    "view_projection": [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 0, 0, 0, 0, 0, 1],
    "box_low": [-1, -1, 0],
    "box_size": [2, 2, 1],
    "aspect": [1, 1],
    "side_strength": [1],
    **{f"camera_{name}": list(values) for name, values in AHEAD.items()},
}


class Desk:
    """An empty page of its own, which hands its pictures over as they are: written out as text, they take longer."""

    def __init__(self, browser: Browser) -> None:
        self.handed: Queue[bytes] = Queue()
        #: The programs that it has, and those of the plan that is being drawn.
        self.known: set[int] = set()
        self.plan: Planned | None = None
        self.text: Program | None = None
        desk = self

        class Answers(BaseHTTPRequestHandler):
            def do_GET(self) -> None:
                self.answer(b"<!doctype html>")

            def do_POST(self) -> None:
                desk.handed.put(self.rfile.read(int(self.headers["Content-Length"])))
                self.answer(b"")

            def answer(self, body: bytes) -> None:
                self.send_response(200)
                self.send_header("Content-Type", "text/html")
                self.send_header("Content-Length", str(len(body)))
                self.end_headers()
                self.wfile.write(body)

            def log_message(self, *args: object) -> None:
                pass

        self.server = HTTPServer(("127.0.0.1", 0), Answers)
        Thread(target=self.server.serve_forever, daemon=True).start()
        self.page = browser.new_page()
        self.page.goto(f"http://127.0.0.1:{self.server.server_port}/")

    def close(self) -> None:
        self.page.close()
        self.server.shutdown()
        self.server.server_close()


def draw(desk: Desk, plan: Planned, phase: float, peeks: Sequence[int], size: int) -> NDArray[np.float32]:
    """A plan's program over the flat square, for one peek after another: (…, size, size, 4), row 0 at the top."""
    if desk.plan is not plan:
        desk.plan, desk.text = plan, program(plan)
    assert desk.text is not None
    text = {"fragment": desk.text.fragment, "vertex": desk.text.vertex}
    given = {**FLAT, **{u.name: list(u.at(phase)) for u in plan.uniforms}}
    job = {"program": hash(text["fragment"]), "uniforms": given, "peeks": list(peeks), "size": size}
    job |= {"pictures": pictures(plan)} | ({} if job["program"] in desk.known else text)
    desk.known.add(job["program"])
    desk.page.evaluate(SCRIPT, job)
    pixels = np.frombuffer(desk.handed.get(timeout=60), np.float32).reshape(-1, size, size, 4)
    return pixels[:, ::-1]


def pictures(plan: Planned) -> list[dict[str, Any]]:
    """A plan's pictures as textures: all levels in a sheet, in half floats."""
    out = []
    for p in plan.pictures:
        made = library.sheet(p.hash, p.read)
        laid = made.image.pixels
        texels = base64.b64encode(laid.astype("<f2").tobytes()).decode()
        high, wide, _ = laid.shape
        out.append({"name": p.name, "texels": texels, "wide": wide, "high": high, "size": made.size})
    return out
