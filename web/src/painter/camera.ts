import { Matrix4, PerspectiveCamera, Vector3 } from "three";
import type { Effect } from "../api/client";

/** Where from and how a shape is seen; `aspect` is width and height over the lesser of them. */
export type View = { matrix: Matrix4; eye: Vector3; aspect: [number, number] };
type Orbit = Effect["stage"]["camera"];

const camera = new PerspectiveCamera();

/** The stage's orbit camera, for a picture so wide and high. */
export function stageView(orbit: Orbit, width: number, height: number): View {
  const yaw = (orbit.yaw * Math.PI) / 180;
  const pitch = (orbit.pitch * Math.PI) / 180;
  const eye = new Vector3(
    Math.sin(yaw) * Math.cos(pitch),
    Math.sin(pitch),
    Math.cos(yaw) * Math.cos(pitch),
  ).multiplyScalar(orbit.distance);
  const half = Math.tan((orbit.view * Math.PI) / 360);
  const tall = height > width ? height / width : 1;
  camera.fov = (Math.atan(half * tall) * 360) / Math.PI;
  camera.aspect = width / height;
  camera.near = 0.05;
  camera.far = 200;
  camera.position.copy(eye);
  camera.up.set(0, 1, 0);
  camera.lookAt(0, 0, 0);
  camera.updateMatrixWorld();
  camera.updateProjectionMatrix();
  const least = Math.min(width, height);
  return {
    matrix: new Matrix4().multiplyMatrices(camera.projectionMatrix, camera.matrixWorldInverse),
    eye,
    aspect: [width / least, height / least],
  };
}

/** How a bead's small picture is taken: a plane fills it; other shapes are seen as on the stage, close. */
export function closeView(shape: string, orbit: Orbit): View {
  if (shape === "plane" || shape === "disc")
    return { matrix: new Matrix4().makeScale(1, 1, 0), eye: new Vector3(0, 0, 4), aspect: [1, 1] };
  const view = shape === "ball" ? 29.2 : 37;
  return stageView({ ...orbit, distance: 4, view }, 1, 1);
}
