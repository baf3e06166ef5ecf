import type { Bead, BeadInfo, Value } from "../api/client";
import { edit } from "../document/editor";
import { isFeed, isLevered, isMotion, numbersOf, putAt } from "../document/place";
import { Handle, SignalView } from "./signal-view";

type Props = { place: string; bead: Bead; kind: BeadInfo };

/** A shaping bead over the signal that comes into it; the levels of a threshold or a rim are dragged on it. */
export function Edges({ place, bead, kind }: Props) {
  const number = (name: string) => {
    const param = kind.params.find((p) => p.name === name);
    return param ? numbersOf(bead.params[name], param)[0] : 0;
  };
  const has = (name: string) => kind.params.some((p) => p.name === name);
  const free = (name: string) => {
    const value = bead.params[name];
    return has(name) && !isMotion(value) && !isFeed(value) && !isLevered(value);
  };
  const put = (name: string, value: Value) => edit((d) => putAt(d, `${place}/${name}`, value));
  const cut = has("level") && has("softness");
  const [level, width, softness] = ["level", "width", "softness"].map(number);
  const tidy = (x: number) => Number(Math.max(0, x).toPrecision(4));
  return (
    <SignalView place={place} bead={bead}>
      {(domain) => (
        <>
          {cut && free("softness") && free("level") && (
            <Handle
              look="side"
              label="Softness"
              domain={domain}
              at={level - softness / 2}
              onMove={(x) => put("softness", tidy((level - x) * 2))}
            />
          )}
          {cut && free("width") && free("level") && (
            <Handle
              label="Width: the upper level"
              domain={domain}
              at={level + width}
              onMove={(x) => put("width", tidy(x - level))}
            />
          )}
          {cut && free("level") && (
            <Handle label="Level" domain={domain} at={level} onMove={(x) => put("level", x)} />
          )}
        </>
      )}
    </SignalView>
  );
}
