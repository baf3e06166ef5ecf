import { DataTexture, HalfFloatType, NearestFilter, RGBAFormat, Vector4 } from "three";

/** A picture in one sheet with all its levels; `size` is what the program asks of it. */
export type Sheet = { texture: DataTexture; size: Vector4 };
const known = new Map<string, Promise<Sheet>>();

/** A picture with its levels as the core lays them out; the program filters it itself. */
export function picture(hash: string, read: string): Promise<Sheet> {
  const key = `${hash} ${read}`;
  let got = known.get(key);
  if (!got) {
    got = load(hash, read);
    known.set(key, got);
    got.catch(() => known.delete(key));
  }
  return got;
}

async function load(hash: string, read: string): Promise<Sheet> {
  const answer = await fetch(`/api/assets/${hash}/levels?read=${read}`);
  if (!answer.ok) throw new Error("a picture of the effect did not load");
  const data = await answer.arrayBuffer();
  const [wide, high, ...size] = new Uint32Array(data, 0, 6);
  const texture = new DataTexture(new Uint16Array(data, 24), wide, high, RGBAFormat, HalfFloatType);
  texture.magFilter = texture.minFilter = NearestFilter;
  texture.needsUpdate = true;
  return { texture, size: new Vector4(...size) };
}
