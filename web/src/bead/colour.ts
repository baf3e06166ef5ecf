/** Linear light to and from what a colour field of the browser speaks. */

const encode = (x: number) => (x <= 0.0031308 ? x * 12.92 : 1.055 * x ** (1 / 2.4) - 0.055);
const decode = (x: number) => (x <= 0.04045 ? x / 12.92 : ((x + 0.055) / 1.055) ** 2.4);

/** A linear colour, cut to its hue at full strength if it is brighter than white. */
export function hexOf(colour: number[]): string {
  const most = Math.max(1, ...colour);
  return `#${colour
    .map((c) =>
      Math.round(encode(Math.max(0, c / most)) * 255)
        .toString(16)
        .padStart(2, "0"),
    )
    .join("")}`;
}

export function linearOf(hex: string): number[] {
  return [1, 3, 5].map((i) => Number(decode(Number.parseInt(hex.slice(i, i + 2), 16) / 255).toPrecision(4)));
}

/** How many times brighter than its brightest showable self a colour is. */
export const strengthOf = (colour: number[]) => Math.max(1, ...colour);
