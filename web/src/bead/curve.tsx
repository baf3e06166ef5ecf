import { Button } from "@chakra-ui/react";
import { useState } from "react";
import { paramOf } from "../api/catalogue";
import type { Bead } from "../api/client";
import type { Point } from "../document/place";
import { Box, Flex, Text } from "../plain";
import { NumberControl } from "./number";
import { Handle, SignalView } from "./signal-view";

const MOST = 8;

type Props = { points: Point[]; place: string; bead: Bead; onChange: (points: Point[]) => void };

/** A curve over the signal that comes in: drag its points, press beside it to add one. */
export function CurveControl({ points, place, bead, onChange }: Props) {
  const [chosen, setChosen] = useState(0);
  const at = Math.min(chosen, points.length - 1);
  const change = (i: number, by: Partial<Point>) =>
    onChange(points.map((p, k) => (k === i ? { ...p, ...by } : p)));
  const remove = (i: number) => points.length > 1 && onChange(points.filter((_, k) => k !== i));
  const places = points.map((p) => p.at);
  const low = Math.min(...places);
  const high = Math.max(...places);
  const round = (x: number) => Number(x.toFixed(4));
  return (
    <Box data-testid="curve">
      <SignalView
        place={place}
        bead={bead}
        include={places}
        results={points.map((p) => p.value)}
        points={points}
        height={132}
      >
        {(domain) => (
          <>
            <button
              type="button"
              tabIndex={-1}
              className="curve-ground"
              aria-label="Add a point to the curve"
              title="Press to add a point"
              onClick={(e) => {
                if (points.length >= MOST) return;
                const box = e.currentTarget.getBoundingClientRect();
                const x = domain.low + ((e.clientX - box.left) / box.width) * (domain.high - domain.low);
                const y = domain.top - ((e.clientY - box.top) / box.height) * (domain.top - domain.bottom);
                onChange([...points, { at: round(x), value: round(y) }]);
                setChosen(points.length);
              }}
            />
            {points.map((p, i) => (
              <Handle
                key={i}
                look="point"
                label={`Point ${i + 1}`}
                domain={domain}
                at={p.at}
                height={p.value}
                chosen={i === at}
                onMove={(x, y) => change(i, { at: round(x), value: round(y) })}
                onChoose={() => setChosen(i)}
                onRemove={() => remove(i)}
              />
            ))}
          </>
        )}
      </SignalView>
      <Flex align="center" gap="4" mt="1">
        <Text color="mist" flexShrink={0}>
          point {at + 1} of {points.length}
        </Text>
        {(["at", "value"] as const).map((name) => (
          <Flex key={name} align="center" gap="1">
            <Text color="mist">{paramOf("Point", name).label}</Text>
            <NumberControl
              narrow
              label={paramOf("Point", name).words.replace(/^The v(.*)\.$/, "V$1")}
              value={points[at][name]}
              soft={paramOf("Point", name).soft}
              hard={paramOf("Point", name).hard}
              onChange={(x) => change(at, { [name]: x })}
            />
          </Flex>
        ))}
        <Button
          size="xs"
          variant="outline"
          onClick={() => onChange(points.map((p) => ({ ...p, at: round(low + high - p.at) })))}
        >
          flip
        </Button>
        <Button size="xs" variant="outline" disabled={points.length < 2} onClick={() => remove(at)}>
          remove point
        </Button>
      </Flex>
    </Box>
  );
}
