import { Matrix4, PerspectiveCamera, Vector3 } from "three";
import { shapes } from "../api/catalogue";
import type { Compiled, Effect } from "../api/client";
import { TRAVELLED } from "../api/levers.gen";
import { paramAt } from "../document/place";
import { fieldsAt } from "../document/tree";
import { outsides } from "./numbers";
import type { Numbers } from "./painter";

/** What programs know of the camera, by their names for it. */
type CameraNumbers = {
  camera_eye: Vector3;
  camera_right: Vector3;
  camera_up: Vector3;
  camera_scale: number;
  camera_pixel: number;
  camera_size: number;
  camera_alone: number;
};
/** Where from and how a shape is seen; `aspect` is width and height over the lesser of them. */
export type View = { matrix: Matrix4; aspect: [number, number]; camera: CameraNumbers };
type Seen = Pick<Effect["stage"], "camera" | "size">;

/** A stage with its camera where that has gone to, as the numbers of a program have it. */
export function travelled(effect: Effect, compiled: Compiled, numbers: Numbers): Seen {
  const { camera, size, travel } = effect.stage;
  const gone: Record<string, number | number[]> = {};
  for (const { name, param, fresh } of fieldsAt("stage/travel")) {
    // What stays where it is, as nearly always, costs nothing.
    if (`${travel?.[name as keyof typeof travel] ?? fresh}` === `${fresh}`) continue;
    const by = outsides(effect, compiled, numbers, `stage/travel/${name}`);
    const stands = camera[name as keyof typeof camera]!;
    const go = TRAVELLED[param?.unit as keyof typeof TRAVELLED] ?? TRAVELLED.beside;
    const [least, most] = paramAt(effect, `stage/camera/${name}`)!.hard;
    const made = [stands].flat().map((x, i) => go(x, by[i], least, most));
    gone[name] = Array.isArray(stands) ? made : made[0];
  }
  return { size, camera: { ...camera, ...gone } };
}

const camera = new PerspectiveCamera();

/** A stage through its orbit camera, for a picture so wide and high. */
export function stageView({ camera: orbit, size }: Seen, width: number, height: number): View {
  const yaw = (orbit.yaw * Math.PI) / 180;
  const pitch = (orbit.pitch * Math.PI) / 180;
  const eye = new Vector3(
    Math.sin(yaw) * Math.cos(pitch),
    Math.sin(pitch),
    Math.cos(yaw) * Math.cos(pitch),
  ).multiplyScalar(orbit.distance);
  const target = new Vector3(...(orbit.target as [number, number, number]));
  eye.add(target);
  const half = Math.tan((orbit.view * Math.PI) / 360);
  const tall = height > width ? height / width : 1;
  camera.fov = (Math.atan(half * tall) * 360) / Math.PI;
  camera.aspect = width / height;
  camera.near = 0.05;
  camera.far = 200;
  camera.position.copy(eye);
  camera.up.set(0, 1, 0);
  camera.lookAt(target);
  camera.updateMatrixWorld();
  camera.updateProjectionMatrix();
  const least = Math.min(width, height);
  const side = (axis: number) => new Vector3().setFromMatrixColumn(camera.matrixWorld, axis);
  return {
    matrix: new Matrix4().multiplyMatrices(camera.projectionMatrix, camera.matrixWorldInverse),
    aspect: [width / least, height / least],
    camera: {
      camera_eye: eye,
      camera_right: side(0),
      camera_up: side(1),
      camera_scale: 1 / half,
      camera_pixel: (2 * half) / least,
      camera_size: size,
      camera_alone: 0,
    },
  };
}

const FLAT: View = {
  matrix: new Matrix4().makeScale(1, 1, 0),
  aspect: [1, 1],
  camera: {
    camera_eye: new Vector3(0, 0, 4),
    camera_right: new Vector3(1, 0, 0),
    camera_up: new Vector3(0, 1, 0),
    camera_scale: 4,
    camera_pixel: 0.005,
    camera_size: 1,
    camera_alone: 0,
  },
};

/** How many pixels a unit at the middle of a stage has in a picture so high. */
export function pixelsOfUnit({ matrix, camera }: View, high: number): number {
  const e = matrix.elements;
  // An orthographic or a perspective matrix: the row of y, and what it is divided by at the middle.
  return (Math.hypot(e[1], e[5], e[9]) * camera.camera_size * high) / (2 * Math.abs(e[15]));
}

/** How a bead's small picture is taken: as the shape says, so that it fills the picture. */
export function closeView(shape: string, orbit: Seen["camera"]): View {
  const how = shapes().find((s) => s.name === shape)?.close;
  if (typeof how === "number") return close(orbit, how);
  return how === "above" ? close({ ...orbit, yaw: 0, pitch: 89 }, 53) : FLAT;
}

function close(orbit: Seen["camera"], view: number): View {
  return stageView({ camera: { ...orbit, distance: 4, view, target: [0, 0, 0] }, size: 1 }, 1, 1);
}
