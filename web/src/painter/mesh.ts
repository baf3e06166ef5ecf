import { BufferAttribute, BufferGeometry, Vector3 } from "three";
import type { Effect, Told } from "../api/client";
import { actsAt } from "../document/tree";

export type Mesh = {
  key: string;
  geometry: BufferGeometry;
  dots: BufferGeometry;
  vertices: number;
  low: Vector3;
  size: Vector3;
  /** How many pixels a unit may have where it serves, and those of fewer triangles that do where it has fewer. */
  pixels: number;
  coarser: Mesh[];
};

/** As much of a mesh as shows where a unit at the middle has so many pixels, halved no more than so often. */
export function shown(mesh: Mesh, pixels: number, most = mesh.coarser.length): Mesh {
  return mesh.coarser.slice(0, most).findLast((m) => pixels <= m.pixels) ?? mesh;
}

const known = new Map<string, Promise<Mesh>>();
const MOST = 24;

/** What a stage's mesh depends on: a path or a file only where its shape is made from one. */
export function meshKey(stage: Effect["stage"]): string {
  const { shape, subdivision, edges, path, path_closed, mesh } = stage;
  const asks = (name: string) => actsAt({ stage } as Effect, `stage/${name}`);
  return JSON.stringify({
    shape,
    subdivision,
    edges,
    ...(asks("path") && { path, path_closed }),
    ...(asks("mesh") && { mesh }),
  });
}

/** A stage's mesh as the core makes it; the last few are kept. */
export function mesh(stage: Effect["stage"]): Promise<Mesh> {
  const key = meshKey(stage);
  let got = known.get(key);
  if (!got) {
    got = load(key);
    known.set(key, got);
    got.catch(() => known.delete(key));
    // The oldest goes; its buffers follow when nothing draws it any more.
    if (known.size > MOST) known.delete(known.keys().next().value as string);
  }
  return got;
}

async function load(key: string): Promise<Mesh> {
  const headers = { "Content-Type": "application/json" };
  const answer = await fetch("/api/shape", { method: "POST", body: key, headers });
  if (!answer.ok) throw new Error(((await answer.json()) as Told).words ?? "the shape did not load");
  const data = await answer.arrayBuffer();
  const [whole, end] = unpacked(key, data, 0);
  for (let at = end; at < data.byteLength; ) {
    const [pixels] = new Float32Array(data, at, 1);
    const [{ low, size, ...coarser }, after] = unpacked(key, data, at + 4);
    whole.coarser.push({ ...coarser, low: whole.low, size: whole.size, pixels });
    at = after;
  }
  return whole;
}

/** The mesh that starts at a byte, and where it ends. */
function unpacked(key: string, data: ArrayBuffer, from: number): [Mesh, number] {
  const [vertices, triangles, coloured, ...second] = new Uint32Array(data, from, 6);
  let at = from + 24;
  const floats = (n: number) => {
    const part = new Float32Array(data, at, n);
    at += n * 4;
    return part;
  };
  const geometry = new BufferGeometry();
  geometry.setAttribute("position", new BufferAttribute(floats(vertices * 3), 3));
  geometry.setAttribute("normal", new BufferAttribute(floats(vertices * 3), 3));
  geometry.setAttribute("uv", new BufferAttribute(floats(vertices * 2), 2));
  geometry.setAttribute("along_u", new BufferAttribute(floats(vertices * 3), 3));
  geometry.setAttribute("along_v", new BufferAttribute(floats(vertices * 3), 3));
  geometry.setAttribute("together", new BufferAttribute(floats(vertices * 3), 3));
  geometry.setAttribute("shared_normal", new BufferAttribute(floats(vertices * 3), 3));
  // White that wears the effect, where the file says nothing.
  const white = () => new BufferAttribute(new Uint8Array(vertices * 4).fill(255), 4, true);
  geometry.setAttribute(
    "colour",
    coloured ? new BufferAttribute(floats(vertices * coloured), coloured) : white(),
  );
  // A shape without a second set of UV has its own for it.
  for (const [i, name] of ["uv", "along_u", "along_v"].entries()) {
    const count = second[i];
    const own = count ? new BufferAttribute(floats(vertices * count), count) : geometry.attributes[name];
    geometry.setAttribute(["second_uv", "second_u", "second_v"][i], own);
  }
  // The same vertices, each by itself.
  const dots = new BufferGeometry();
  for (const [name, attribute] of Object.entries(geometry.attributes)) dots.setAttribute(name, attribute);
  geometry.setIndex(new BufferAttribute(new Uint32Array(data, at, triangles * 3), 1));
  geometry.computeBoundingBox();
  const box = geometry.boundingBox!;
  const size = box.getSize(new Vector3());
  // A flat axis counts as 1, as in the core.
  for (const axis of ["x", "y", "z"] as const) if (size[axis] <= 1e-6) size[axis] = 1;
  const made = { key, geometry, dots, vertices, low: box.min.clone(), size, pixels: Infinity, coarser: [] };
  return [made, at + triangles * 12];
}
