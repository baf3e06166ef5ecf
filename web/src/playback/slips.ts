import type { Compiled, Effect } from "../api/client";
import { isLevered, isMotion, type Levered, leveredNumbers, paramAt, valueAt } from "../document/place";

/** What of a document a speed is made of, found once for each program. */
type Rate = { place: string; name: string };
type Going = { rounds: number[]; slip: number[] };

const going = new Map<string, Going>();
const rates = new WeakMap<Compiled, Rate[]>();

const SLIP = "/slip";

/** The numbers whose speed a lever gives: their places, and the uniform that says by how much they are ahead. */
export function ratesOf(compiled: Compiled): Rate[] {
  let known = rates.get(compiled);
  if (!known) {
    known = compiled.uniforms
      .filter((u) => u.place.endsWith(SLIP))
      .map((u) => ({ place: u.place.slice(0, -SLIP.length), name: u.name }));
    rates.set(compiled, known);
  }
  return known;
}

/** By how many rounds a number is ahead of what its speed says. */
export const slipOf = (place: string): number[] | undefined => going.get(place)?.slip;

/** What is played from elsewhere begins with nothing ahead. */
export function noSlips() {
  if (going.size) version++;
  going.clear();
}

let version = 0;
/** Another number whenever anything is ahead by more or less. */
export const slipVersion = () => version;

/**
 * Keeps each number where it is when its speed is turned while it plays: it goes on faster or slower from there.
 * Turned while it stands still, it is shown as a bake has it.
 */
export function keepSlips(
  effect: Effect,
  compiled: Compiled,
  phase: number,
  playing: boolean,
  has: Record<string, number | number[]>,
) {
  for (const { place } of ratesOf(compiled)) {
    const value = valueAt(effect, place);
    const rounds = isLevered(value) ? roundsOf(effect, place, value, has) : null;
    if (!rounds) {
      going.delete(place);
      continue;
    }
    const was = going.get(place);
    const same = was?.rounds.every((x, i) => x === rounds[i]);
    if (same) continue;
    const slip = rounds.map((x, i) => (was && playing ? was.slip[i] + (was.rounds[i] - x) * phase : 0));
    going.set(place, { rounds, slip });
    version++;
  }
}

/** How many rounds a turn a lever makes of a number; nothing where the lever itself moves. */
function roundsOf(
  effect: Effect,
  place: string,
  value: Levered,
  has: Record<string, number | number[]>,
): number[] | null {
  const lever = effect.levers.find((x) => x.id === value.lever);
  const param = paramAt(effect, place);
  const at = has[value.lever] ?? lever?.value;
  if (!lever || !param || isMotion(at) || typeof at !== "number") return null;
  // Whole rounds close a turn that loops; one that plays once takes any.
  const rounds = {
    default: [param.default].flat().map(() => 0),
    hard: [Number.NEGATIVE_INFINITY, Number.POSITIVE_INFINITY] as [number, number],
    whole: effect.turn.plays === "looping",
  };
  return leveredNumbers(value, lever, at, rounds);
}
