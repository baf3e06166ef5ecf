import { DataTexture, HalfFloatType, NearestFilter, NearestMipmapNearestFilter, RGBAFormat } from "three";

const known = new Map<string, Promise<DataTexture>>();

/** A picture with its levels as the core makes them; the program filters it itself. */
export function picture(hash: string, srgb: boolean): Promise<DataTexture> {
  const key = `${hash} ${srgb}`;
  let got = known.get(key);
  if (!got) {
    got = load(hash, srgb);
    known.set(key, got);
    got.catch(() => known.delete(key));
  }
  return got;
}

async function load(hash: string, srgb: boolean): Promise<DataTexture> {
  const answer = await fetch(`/api/assets/${hash}/levels?srgb=${srgb}`);
  if (!answer.ok) throw new Error("a picture of the effect did not load");
  const data = await answer.arrayBuffer();
  const [count] = new Uint32Array(data, 0, 1);
  const sizes = new Uint32Array(data, 4, count * 2);
  let at = 4 + count * 8;
  const levels = Array.from({ length: count }, (_, i) => {
    const [width, height] = [sizes[i * 2], sizes[i * 2 + 1]];
    const level = { data: new Uint16Array(data, at, width * height * 4), width, height };
    at += width * height * 8;
    return level;
  });
  const texture = new DataTexture(
    levels[0].data,
    levels[0].width,
    levels[0].height,
    RGBAFormat,
    HalfFloatType,
  );
  texture.mipmaps = levels;
  texture.generateMipmaps = false;
  texture.magFilter = NearestFilter;
  texture.minFilter = NearestMipmapNearestFilter;
  texture.needsUpdate = true;
  return texture;
}
