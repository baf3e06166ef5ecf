import { Vector3 } from "three";
import { kindOf, leverHolds } from "../api/catalogue";
import { edit, useEditor } from "../document/editor";
import { beadAt, isLevered, isMotion, leveredNumbers, paramAt, putAt } from "../document/place";
import { actsAt, within } from "../document/tree";
import { follow } from "../drag";
import type { View } from "../painter/camera";
import { frameOf, usePlayback } from "../playback/playback";
import { DrawnLine, useDrawn } from "./drawn";
import { HitHandle } from "./hits";
import { hold, type Thing, useHeld } from "./placed";
import { useView } from "./seen";

const OBJECTS = "stage/neighbours/objects";

const AXES = { x: new Vector3(1, 0, 0), y: new Vector3(0, 1, 0), z: new Vector3(0, 0, 1) };
/** How long a beacon's axis is drawn, in units. */
const LONG = 0.45;
const tidy = (x: number) => Math.round(x * 1000) / 1000;

/** Beacons, objects, a path and hits on the picture, while stage settings or a bead that takes them are open. */
export function Handles({ diameter }: { diameter: number }) {
  const beacons = useEditor((s) => s.document.beacons);
  const stage = useEditor((s) => s.document.stage);
  const tab = useEditor((s) => s.tab);
  // A bead that is measured from a beacon says so by a setting of that kind.
  const measured = useEditor((s) => {
    const bead = s.selected && beadAt(s.document, `strands/${s.selected.strand}/${s.selected.bead}`);
    return s.tab === "bead" && kindOf(bead?.kind ?? "")?.settings.some((x) => x.kind === "beacon");
  });
  const tube = useEditor((s) => s.tab === "stage" && actsAt(s.document, "stage/path"));
  const hits = useEditor((s) => s.document.hits);
  const struck = useEditor((s) => {
    const bead = s.selected && beadAt(s.document, `strands/${s.selected.strand}/${s.selected.bead}`);
    return s.tab === "stage" || (s.tab === "bead" && kindOf(bead?.kind ?? "")?.takes_hits === true);
  });
  const drawing = useDrawn((s) => s.drawing) && tube;
  const placed = beacons?.length > 0 && (tab === "stage" || measured);
  const objects = tab === "stage" ? stage.neighbours.objects : [];
  const held = useHeld((s) => s.held);
  const view = useView(diameter);
  if (!tube && !placed && !objects.length && !(struck && hits?.length)) return null;
  return (
    <svg
      width={diameter}
      height={diameter}
      role="group"
      aria-label="Handles on the picture"
      style={{ position: "absolute", inset: 0, pointerEvents: "none", touchAction: "none" }}
      data-testid="handles"
    >
      {drawing && <DrawnLine view={view} diameter={diameter} />}
      {tube &&
        !drawing &&
        stage.path.map((_, i) => <Knot key={i} index={i} view={view} diameter={diameter} />)}
      {placed &&
        beacons.map((b) => (
          <Handle key={b.id} thing={b} place={`beacons/${b.id}`} view={view} diameter={diameter} />
        ))}
      {objects.map((o) => (
        <Handle
          key={o.id}
          thing={o}
          place={`${OBJECTS}/${o.id}`}
          view={view}
          diameter={diameter}
          quiet={held !== `${OBJECTS}/${o.id}` && objects.length > 1}
        />
      ))}
      {struck && hits.map((h) => <HitHandle key={h.id} hit={h} view={view} diameter={diameter} />)}
    </svg>
  );
}

type HandleProps = {
  thing: Thing;
  place: string;
  view: View;
  diameter: number;
  quiet?: boolean;
  onHold?: () => void;
};

function Handle({ thing, place: own, view, diameter, quiet = false }: HandleProps) {
  const program = useEditor((s) => s.program);
  const levers = useEditor((s) => s.document.levers);
  const row = usePlayback((s) => frameOf(s.phase, s.turn));
  const stood = (place: string, value: unknown): number[] => {
    if (!isMotion(value)) return [value as number | number[]].flat();
    const rows = program?.uniforms.find((u) => u.place === place)?.rows;
    return rows?.[row % rows.length] ?? [0, 0, 0];
  };
  const now = (name: "position" | "yaw" | "pitch"): number[] => {
    const value = thing[name];
    const place = `${own}/${name}`;
    if (!isLevered(value)) return stood(place, value);
    const by = levers.find((x) => x.id === value.lever);
    if (!by) return [0, 0, 0];
    const [field] = leverHolds(by.kind);
    const where = stood(`levers/${by.id}/${field}`, by[field as keyof typeof by]);
    if (by.kind === "place") return where;
    return leveredNumbers(value, by, Number(where[0]), paramAt(useEditor.getState().document, place)!);
  };
  const at = new Vector3(...(now("position") as [number, number, number]));
  const [yaw, pitch] = [now("yaw")[0], now("pitch")[0]];
  const tip = at.clone().addScaledVector(along(yaw, pitch), LONG);
  const flat = (p: Vector3): [number, number] => {
    const seen = p.clone().applyMatrix4(view.matrix);
    return [((seen.x + 1) / 2) * diameter, ((1 - seen.y) / 2) * diameter];
  };
  // How much of a unit a pixel is at the beacon's depth.
  const { camera_right: right, camera_up: up, camera_eye: eye, camera_pixel: pixel } = view.camera;
  const unit = eye.distanceTo(at) * pixel;
  const held = isLevered(thing.position) ? thing.position.lever : null;
  const lever = levers.find((x) => x.id === held && x.kind === "place");
  const fixed = isMotion(lever ? lever.position : thing.position) || (held !== null && !lever);
  const free = (value: unknown) => !isMotion(value) && !isLevered(value);
  const place = (p: Vector3) => {
    // Where a lever says where it is, that is what is moved.
    if (free(lever ? lever.position : thing.position))
      edit((d) =>
        putAt(
          d,
          `${lever ? `levers/${lever.id}` : own}/position`,
          p.toArray().map((x) => tidy(within(`${own}/position`, x))),
        ),
      );
  };
  const turnTo = (toYaw: number, toPitch: number) =>
    edit((d) => {
      if (free(thing.yaw)) putAt(d, `${own}/yaw`, tidy(toYaw));
      if (free(thing.pitch)) putAt(d, `${own}/pitch`, tidy(within(`${own}/pitch`, toPitch)));
    });
  const turn = (way: Vector3) => {
    const level = Math.hypot(way.x, way.z);
    const toYaw = level > 1e-4 ? (Math.atan2(way.x, way.z) * 180) / Math.PI : yaw;
    turnTo(toYaw, (Math.atan2(way.y, level) * 180) / Math.PI);
  };

  const drag = (way: Vector3 | null) => (e: React.PointerEvent<Element>) => {
    e.stopPropagation();
    hold(own);
    const start = at.clone();
    const [sx, sy] = [e.clientX, e.clientY];
    const base = flat(start);
    const ahead = way && flat(start.clone().add(way));
    follow(e, (m) => {
      const [dx, dy] = [m.clientX - sx, m.clientY - sy];
      const p = start.clone();
      if (way && ahead) {
        const [ax, ay] = [ahead[0] - base[0], ahead[1] - base[1]];
        p.addScaledVector(way, (dx * ax + dy * ay) / Math.max(ax * ax + ay * ay, 100));
      } else p.addScaledVector(right, dx * unit).addScaledVector(up, -dy * unit);
      place(p);
    });
  };
  const swing = (e: React.PointerEvent<Element>) => {
    e.stopPropagation();
    const box = (e.currentTarget as SVGElement).ownerSVGElement!.getBoundingClientRect();
    const [mx, my] = flat(at);
    const long = LONG / unit;
    const back = eye.clone().sub(at).normalize();
    follow(e, (m) => {
      const [x, y] = [(m.clientX - box.left - mx) / long, (my - (m.clientY - box.top)) / long];
      const out = Math.hypot(x, y);
      const way = right.clone().multiplyScalar(x).addScaledVector(up, y);
      // Within its reach it comes towards the viewer; beyond, it lies across the picture.
      if (out < 1) way.addScaledVector(back, Math.sqrt(1 - out * out));
      turn(way.normalize());
    });
  };
  const step = (e: React.KeyboardEvent) => {
    const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[e.key];
    if (!by) return;
    e.preventDefault();
    e.stopPropagation();
    if (e.altKey) turnTo(yaw + by[0] * 5, pitch + by[1] * 5);
    else if (e.shiftKey) place(at.clone().addScaledVector(AXES.z, -by[1] * 0.05));
    else
      place(
        at
          .clone()
          .addScaledVector(right, by[0] * 0.05)
          .addScaledVector(up, by[1] * 0.05),
      );
  };
  const [x, y] = flat(at);
  const [tx, ty] = flat(tip);
  const words = `${at
    .toArray()
    .map((n) => n.toFixed(2))
    .join(", ")} · ${Math.round(yaw)}°, ${Math.round(pitch)}°`;
  return (
    <g style={{ pointerEvents: "auto" }}>
      {!quiet && <line x1={x} y1={y} x2={tx} y2={ty} stroke="#6fd6ba" strokeWidth="2" pointerEvents="none" />}
      {!fixed &&
        !quiet &&
        Object.entries(AXES).map(([name, way]) => {
          const [ex, ey] = flat(at.clone().addScaledVector(way, LONG * 0.62));
          return (
            <g key={name} style={{ cursor: "move" }} onPointerDown={drag(way)}>
              <title>{`Move ${thing.name} along ${name}`}</title>
              <line x1={x} y1={y} x2={ex} y2={ey} stroke="#dfe8e4" strokeWidth="1" strokeDasharray="3 3" />
              <circle cx={ex} cy={ey} r="8" fill="#101817cc" stroke="#dfe8e4" />
              <text x={ex} y={ey + 3.5} textAnchor="middle" fontSize="10" fill="#dfe8e4">
                {name}
              </text>
            </g>
          );
        })}
      {!quiet && (
        <circle
          cx={tx}
          cy={ty}
          r="6"
          fill="#101817"
          stroke="#6fd6ba"
          strokeWidth="2"
          style={{ cursor: "crosshair" }}
          onPointerDown={swing}
          data-testid={`turn-${thing.id}`}
        >
          <title>{`Turn ${thing.name}`}</title>
        </circle>
      )}
      <circle
        cx={x}
        cy={y}
        r="7"
        fill="#6fd6ba"
        stroke="#0b1212"
        strokeWidth="1.5"
        role="slider"
        tabIndex={0}
        className="lamp"
        aria-label={`${thing.name}: arrow keys move it, with Shift in depth, with Alt they turn it`}
        aria-valuenow={at.x}
        aria-valuetext={words}
        style={{ cursor: fixed ? "default" : "grab" }}
        onFocus={() => hold(own)}
        onPointerDown={fixed ? (e) => e.stopPropagation() : drag(null)}
        onKeyDown={step}
        data-testid={`placed-${thing.id}`}
      />
      <text
        x={x}
        y={y + 24}
        textAnchor="middle"
        fontSize="11"
        fill="#dfe8e4"
        stroke="#0b1212"
        strokeWidth="3"
        paintOrder="stroke"
        pointerEvents="none"
      >
        {!quiet && thing.name}
        {!quiet && (
          <tspan x={x} dy="13" fill="#a9bcb6">
            {words}
          </tspan>
        )}
      </text>
    </g>
  );
}

/** A point of the tube's path: its middle moves it, its rim sets how thick the tube is. */
function Knot({ index, view, diameter }: { index: number; view: View; diameter: number }) {
  const point = useEditor((s) => s.document.stage.path[index]);
  const { camera_right: right, camera_up: up, camera_eye: eye, camera_pixel: pixel } = view.camera;
  const size = view.camera.camera_size;
  const at = new Vector3(...(point.at as [number, number, number])).multiplyScalar(size);
  const unit = eye.distanceTo(at) * pixel;
  const seen = at.clone().applyMatrix4(view.matrix);
  const [x, y] = [((seen.x + 1) / 2) * diameter, ((1 - seen.y) / 2) * diameter];
  const r = Math.max(10, (point.radius * size) / unit);
  const place = (p: Vector3) =>
    edit((d) => {
      d.stage.path[index].at = p.toArray().map((n) => tidy(within("stage/path/0/at", n / size)));
    });
  const drag = (e: React.PointerEvent<Element>) => {
    e.stopPropagation();
    const [sx, sy] = [e.clientX, e.clientY];
    follow(e, (m) =>
      place(
        at
          .clone()
          .addScaledVector(right, (m.clientX - sx) * unit)
          .addScaledVector(up, (sy - m.clientY) * unit),
      ),
    );
  };
  const widen = (e: React.PointerEvent<Element>) => {
    e.stopPropagation();
    const box = (e.currentTarget as SVGElement).ownerSVGElement!.getBoundingClientRect();
    follow(e, (m) =>
      edit((d) => {
        const out = Math.hypot(m.clientX - box.left - x, m.clientY - box.top - y) * unit;
        d.stage.path[index].radius = tidy(within("stage/path/0/radius", out / size));
      }),
    );
  };
  const step = (e: React.KeyboardEvent) => {
    const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[e.key];
    if (!by) return;
    e.preventDefault();
    e.stopPropagation();
    if (e.shiftKey) place(at.clone().addScaledVector(AXES.z, -by[1] * 0.05));
    else
      place(
        at
          .clone()
          .addScaledVector(right, by[0] * 0.05)
          .addScaledVector(up, by[1] * 0.05),
      );
  };
  return (
    <g style={{ pointerEvents: "auto" }}>
      <circle
        cx={x}
        cy={y}
        r={r}
        fill="none"
        stroke="#dfe8e4"
        strokeWidth="4"
        strokeOpacity="0.55"
        strokeDasharray="4 3"
        style={{ cursor: "ew-resize" }}
        onPointerDown={widen}
      >
        <title>{`How thick the tube is at point ${index + 1}: ${point.radius}`}</title>
      </circle>
      <circle
        cx={x}
        cy={y}
        r="6"
        fill="#6fd6ba"
        stroke="#0b1212"
        strokeWidth="1.5"
        role="slider"
        tabIndex={0}
        className="lamp"
        aria-label={`Point ${index + 1} of the path: arrow keys move it, with Shift in depth`}
        aria-valuenow={at.x}
        aria-valuetext={at
          .toArray()
          .map((n) => n.toFixed(2))
          .join(", ")}
        style={{ cursor: "grab" }}
        onPointerDown={drag}
        onKeyDown={step}
        data-testid={`knot-${index}`}
      />
    </g>
  );
}

function along(yaw: number, pitch: number): Vector3 {
  const [y, p] = [(yaw * Math.PI) / 180, (pitch * Math.PI) / 180];
  return new Vector3(Math.sin(y) * Math.cos(p), Math.sin(p), Math.cos(y) * Math.cos(p));
}
