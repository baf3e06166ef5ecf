import { BufferAttribute, BufferGeometry, Vector3 } from "three";
import type { Effect } from "../api/client";

export type Mesh = { geometry: BufferGeometry; vertices: number; low: Vector3; size: Vector3 };

const known = new Map<string, Promise<Mesh>>();

/** A stage shape's mesh as the core makes it; fetched once. */
export function mesh({ shape, subdivision }: Effect["stage"]): Promise<Mesh> {
  const key = `${shape}?subdivision=${subdivision}`;
  let got = known.get(key);
  if (!got) {
    got = load(key);
    known.set(key, got);
    got.catch(() => known.delete(key));
  }
  return got;
}

async function load(shape: string): Promise<Mesh> {
  const answer = await fetch(`/api/shapes/${shape}`);
  if (!answer.ok) throw new Error(`the shape ${shape} did not load`);
  const data = await answer.arrayBuffer();
  const [vertices, triangles] = new Uint32Array(data, 0, 2);
  let at = 8;
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
  geometry.setIndex(new BufferAttribute(new Uint32Array(data, at, triangles * 3), 1));
  geometry.computeBoundingBox();
  const box = geometry.boundingBox!;
  const size = box.getSize(new Vector3());
  // A flat axis counts as 1, as in the core.
  for (const axis of ["x", "y", "z"] as const) if (size[axis] <= 1e-6) size[axis] = 1;
  return { geometry, vertices, low: box.min.clone(), size };
}
