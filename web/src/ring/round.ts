/** The ring's geometry: a phase is an angle from twelve o'clock, clockwise; outwards is more. */

export const TAU = Math.PI * 2;

export function point(centre: number, radius: number, phase: number) {
  const angle = phase * TAU;
  return { x: centre + Math.sin(angle) * radius, y: centre - Math.cos(angle) * radius };
}

export function tick(centre: number, from: number, to: number, phase: number) {
  const a = point(centre, from, phase);
  const b = point(centre, to, phase);
  return { x1: a.x, y1: a.y, x2: b.x, y2: b.y };
}

export function arc(centre: number, radius: number, from: number, to: number): string {
  const a = point(centre, radius, from);
  const b = point(centre, radius, to);
  return `M${a.x} ${a.y}A${radius} ${radius} 0 ${to - from > 0.5 ? 1 : 0} 1 ${b.x} ${b.y}`;
}

/** Phase and radius of a place on the page. */
export function polar(svg: Element, x: number, y: number): { phase: number; radius: number } {
  const box = svg.getBoundingClientRect();
  const dx = x - box.left - box.width / 2;
  const dy = box.top + box.height / 2 - y;
  return { phase: ((Math.atan2(dx, dy) + TAU) % TAU) / TAU, radius: Math.hypot(dx, dy) };
}

/** One dash for each round; the part of a round that is left shows at the join. */
export function dashes(rounds: number): [number, number][] {
  const most = Math.min(48, Math.abs(rounds));
  if (most < 1e-6) return [[0, 0.0005]];
  const length = 1 / most;
  const pad = Math.min(0.012, length * 0.22);
  const out: [number, number][] = [];
  for (let a = 0; a < 1 - 1e-6; a += length)
    out.push([a + pad / 2, Math.min(1, a + length) - (a + length > 1 + 1e-6 ? 0 : pad / 2)]);
  return out;
}

/** A curve as a line wound round, from its offsets frame by frame. */
export function wound(centre: number, radius: number, off: number[], steps: number): string {
  const points = off.map((swing, i) => {
    const p = point(centre, radius + swing, i / steps);
    return `${p.x.toFixed(2)} ${p.y.toFixed(2)}`;
  });
  return points.length ? `M${points.join("L")}` : "";
}
