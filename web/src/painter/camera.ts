import { Matrix4, PerspectiveCamera, Vector3 } from "three";
import { shapes } from "../api/catalogue";
import type { Compiled, Effect } from "../api/client";
import { within } from "../document/tree";
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
  if (!travel) return { camera, size };
  const gone = (name: keyof typeof travel) => outsides(effect, compiled, numbers, `stage/travel/${name}`);
  const held = (name: string, x: number) => within(`stage/camera/${name}`, x);
  const target = gone("target");
  return {
    size,
    camera: {
      yaw: held("yaw", camera.yaw + gone("yaw")[0]),
      pitch: held("pitch", camera.pitch + gone("pitch")[0]),
      distance: held("distance", camera.distance * gone("distance")[0]),
      view: held("view", camera.view + gone("view")[0]),
      target: camera.target.map((x, i) => held("target", x + target[i])) as typeof camera.target,
    },
  };
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

/** How a bead's small picture is taken: as the shape says, so that it fills the picture. */
export function closeView(shape: string, orbit: Seen["camera"]): View {
  const how = shapes().find((s) => s.name === shape)?.close;
  if (typeof how === "number") return close(orbit, how);
  return how === "above" ? close({ ...orbit, yaw: 0, pitch: 89 }, 53) : FLAT;
}

function close(orbit: Seen["camera"], view: number): View {
  return stageView({ camera: { ...orbit, distance: 4, view, target: [0, 0, 0] }, size: 1 }, 1, 1);
}
