import { Button } from "@chakra-ui/react";
import { useState } from "react";
import type { Effect } from "../api/client";
import { hexOf } from "../bead/colour";
import { edit, useEditor } from "../document/editor";
import { isMotion } from "../document/place";
import { fieldsAt } from "../document/tree";
import { follow } from "../drag";
import { ColourAt, FieldRow, fieldOf, Idle, NumberAt } from "../field";
import { Box, Flex, Text } from "../plain";
import type { Loop } from "./drawing";
import { SurroundingsPanel } from "./surroundings";

type Lamp = keyof Effect["stage"]["lamps"];
type SkyColour = Exclude<keyof Effect["stage"]["sky"], "strength">;
const lampNames = () => fieldsAt("stage/lamps").map((f) => f.name as Lamp);
const skyColours = () =>
  fieldsAt("stage/sky")
    .filter((f) => f.param?.type === "colour")
    .map((f) => f.name as SkyColour);
// A panorama's turn stands with the panorama.
const numbersAt = (place: string) => fieldsAt(place).filter((f) => f.kind === "number" && f.name !== "turn");
const tidy = (x: number) => Math.round(x * 10) / 10;
/** A lamp's colour on the disc; one that moves is drawn white. */
const shownColour = (v: unknown) => (Array.isArray(v) ? (v as number[]) : [1, 1, 1]);
const still = (v: unknown) => (typeof v === "number" ? v : 0);

/** Lamps and sky. Lamps are turned on a small disc: the sky from above, the viewer below it. */
export function LightPanel({ loop }: { loop: Loop }) {
  const [more, setMore] = useState(false);
  const lamps = useEditor((s) => s.document.stage.lamps);
  const pictured = useEditor((s) => s.document.stage.sky.picture !== "");
  const skyMoves = useEditor((s) => isMotion(s.document.stage.sky.strength));
  return (
    <Box data-testid="light">
      <Text fontWeight="600" mb="1">
        Light
      </Text>
      <Idle place="stage" field={fieldOf("stage", "lamps")}>
        Lamps and sky fall on nothing here: the surface is self-lit.
      </Idle>
      <Flex gap="3" align="center">
        <Disc />
        <Box flex="1" minW="0">
          {lampNames().map((name) => (
            <Flex key={name} align="center" gap="3" py="0.5" color={lamps[name].on ? undefined : "mist"}>
              <label style={{ display: "flex", gap: 6, width: "3.6rem", flexShrink: 0 }}>
                <input
                  type="checkbox"
                  aria-label={`${name} lamp`}
                  checked={lamps[name].on}
                  onChange={(e) =>
                    edit((d) => {
                      d.stage.lamps[name].on = e.target.checked;
                    })
                  }
                />
                {name}
              </label>
              <ColourAt bare place={`stage/lamps/${name}/colour`} label={`${name} colour`} />
              {!more && isMotion(lamps[name].strength) && <Text color="mist">in motion</Text>}
              {!more && !isMotion(lamps[name].strength) && (
                <NumberAt narrow place={`stage/lamps/${name}/strength`} label={`${name} strength`} />
              )}
            </Flex>
          ))}
          <Flex align="center" gap="1" py="0.5">
            <Text w="2rem" flexShrink={0}>
              sky
            </Text>
            {pictured && <Text color="mist">as its panorama is</Text>}
            {(pictured ? [] : skyColours()).map((name) => (
              <ColourAt bare key={name} place={`stage/sky/${name}`} label={`sky ${name}`} />
            ))}
            {!more && skyMoves && <Text color="mist">in motion</Text>}
            {!more && !skyMoves && <NumberAt narrow place="stage/sky/strength" label="sky strength" />}
          </Flex>
        </Box>
      </Flex>
      <FieldRow narrow place="stage" field={fieldOf("stage", "cast")} source={loop.source} />
      <SurroundingsPanel loop={loop} />
      <Button size="xs" variant="outline" mt="1" aria-expanded={more} onClick={() => setMore(!more)}>
        {more ? "fewer numbers" : "angles and motion"}
      </Button>
      {more && (
        <Box mt="1">
          {lampNames()
            .filter((name) => lamps[name].on)
            .map((name) => (
              <Numbers key={name} title={`${name} lamp`}>
                {numbersAt(`stage/lamps/${name}`).map((f) => (
                  <FieldRow
                    narrow
                    bare
                    key={f.name}
                    place={`stage/lamps/${name}`}
                    field={f}
                    source={loop.source}
                  />
                ))}
              </Numbers>
            ))}
          <Numbers title="sky">
            {numbersAt("stage/sky")
              .filter((f) => !pictured || f.param?.type !== "colour")
              .map((f) => (
                <FieldRow narrow bare key={f.name} place="stage/sky" field={f} source={loop.source} />
              ))}
          </Numbers>
        </Box>
      )}
    </Box>
  );
}

function Numbers({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <Box role="group" aria-label={title} mt="1">
      <Text color="mist" fontSize="11.5px">
        {title}
      </Text>
      {children}
    </Box>
  );
}

const SIZE = 104;
const MIDDLE = SIZE / 2;

/** Where a lamp lies on the disc: overhead in the middle, level on the inner ring, below outside it. */
function onDisc(yaw: number, pitch: number): [number, number] {
  const r = ((90 - pitch) / 180) * (MIDDLE - 8);
  const a = (yaw * Math.PI) / 180;
  return [MIDDLE + r * Math.sin(a), MIDDLE + r * Math.cos(a)];
}

function Disc() {
  const lamps = useEditor((s) => s.document.stage.lamps);
  const turn = (name: Lamp, yaw: number, pitch: number) =>
    edit((d) => {
      d.stage.lamps[name].yaw = tidy(((((yaw + 180) % 360) + 360) % 360) - 180);
      d.stage.lamps[name].pitch = tidy(Math.max(-90, Math.min(90, pitch)));
    });
  const drag = (name: Lamp) => (e: React.PointerEvent<SVGGElement>) => {
    const box = e.currentTarget.ownerSVGElement!.getBoundingClientRect();
    follow(e, (m) => {
      const x = ((m.clientX - box.left) / box.width) * SIZE - MIDDLE;
      const y = ((m.clientY - box.top) / box.height) * SIZE - MIDDLE;
      const r = Math.min(1, Math.hypot(x, y) / (MIDDLE - 8));
      turn(name, (Math.atan2(x, y) * 180) / Math.PI, 90 - 180 * r);
    });
  };
  const step = (name: Lamp, yaw: number, pitch: number) => (e: React.KeyboardEvent) => {
    const by = { ArrowLeft: [-5, 0], ArrowRight: [5, 0], ArrowUp: [0, 5], ArrowDown: [0, -5] }[e.key];
    if (!by) return;
    e.preventDefault();
    e.stopPropagation();
    turn(name, yaw + by[0], pitch + by[1]);
  };
  return (
    <svg
      width={SIZE}
      height={SIZE}
      viewBox={`0 0 ${SIZE} ${SIZE}`}
      role="group"
      aria-label="Lamps on the sky, seen from above; the viewer is below"
      style={{ flexShrink: 0, touchAction: "none" }}
    >
      <circle cx={MIDDLE} cy={MIDDLE} r={MIDDLE - 8} fill="#10191a" stroke="#2c4743" />
      <circle cx={MIDDLE} cy={MIDDLE} r={(MIDDLE - 8) / 2} fill="#16302d" stroke="#3f8171" />
      <path d={`M${MIDDLE} ${SIZE - 1}l-5 -6h10z`} fill="#8fa6a0" aria-hidden />
      {lampNames()
        .filter((name) => lamps[name].on && !isMotion(lamps[name].yaw) && !isMotion(lamps[name].pitch))
        .map((name) => {
          const [yaw, pitch] = [still(lamps[name].yaw), still(lamps[name].pitch)];
          const [x, y] = onDisc(yaw, pitch);
          return (
            <g
              key={name}
              role="slider"
              tabIndex={0}
              className="lamp"
              aria-label={`${name} lamp's place`}
              aria-valuenow={yaw}
              aria-valuetext={`yaw ${yaw}°, pitch ${pitch}°`}
              onPointerDown={drag(name)}
              onKeyDown={step(name, yaw, pitch)}
            >
              <title>{`${name}: yaw ${yaw}°, pitch ${pitch}°`}</title>
              <circle cx={x} cy={y} r="9" fill="transparent" />
              <circle
                cx={x}
                cy={y}
                r="6"
                fill={hexOf(shownColour(lamps[name].colour))}
                stroke="#6fd6ba"
                strokeWidth="1.5"
              />
              <text x={x} y={y + 3} textAnchor="middle" fontSize="8.5" fill="#0b1212" fontWeight="700">
                {name[0]}
              </text>
            </g>
          );
        })}
    </svg>
  );
}
