/** The world of a solved scene: its floor, origin and units. 4x4, row by row. */
import { sample } from "./animate";
import type { CameraFile, Layer, Shot, Vec3 } from "./types";
import { hasPlace, isVeil } from "./layers";

export type Matrix4 = number[];
export const SAME: Matrix4 = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];

export const times4 = (a: Matrix4, b: Matrix4): Matrix4 =>
  [0, 1, 2, 3].flatMap((r) =>
    [0, 1, 2, 3].map((c) => [0, 1, 2, 3].reduce((s, k) => s + a[r * 4 + k] * b[k * 4 + c], 0)),
  );

export const through4 = (m: Matrix4, [x, y, z]: number[]): Vec3 =>
  [0, 1, 2].map((r) => m[r * 4] * x + m[r * 4 + 1] * y + m[r * 4 + 2] * z + m[r * 4 + 3]) as Vec3;

/** By how much a turning, shifting and scaling matrix enlarges. */
export const sizeOf4 = (m: Matrix4) => Math.hypot(m[0], m[4], m[8]);

/** The inverse of a turning, shifting and scaling matrix. */
export function inverse4(m: Matrix4): Matrix4 {
  const k = 1 / sizeOf4(m) ** 2;
  const r = [0, 1, 2].map((row) => [0, 1, 2].map((c) => m[c * 4 + row] * k));
  const t = r.map((row) => -(row[0] * m[3] + row[1] * m[7] + row[2] * m[11]));
  return [...r[0], t[0], ...r[1], t[1], ...r[2], t[2], 0, 0, 0, 1];
}

const sub = (a: Vec3, b: Vec3): Vec3 => [a[0] - b[0], a[1] - b[1], a[2] - b[2]];
const dot = (a: Vec3, b: Vec3) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
const cross = (a: Vec3, b: Vec3): Vec3 => [
  a[1] * b[2] - a[2] * b[1],
  a[2] * b[0] - a[0] * b[2],
  a[0] * b[1] - a[1] * b[0],
];
const unit = (a: Vec3): Vec3 => a.map((v) => v / (Math.hypot(...a) || 1)) as Vec3;

/** Where the camera is in the solve's own space. */
export const eyeOf = (pose: number[]): Vec3 =>
  [0, 1, 2].map((c) => -(pose[c] * pose[3] + pose[4 + c] * pose[7] + pose[8 + c] * pose[11])) as Vec3;

/** A floor through three points: y = 0 on it, y down, the first the origin, x towards the second as far as it goes. */
export function floorThrough(a: Vec3, b: Vec3, c: Vec3, eye: Vec3): Matrix4 | null {
  let up = cross(sub(b, a), sub(c, a));
  if (Math.hypot(...up) < 1e-9 * (1 + dot(a, a))) return null;
  up = unit(up);
  if (dot(up, sub(eye, a)) < 0) up = up.map((v) => -v) as Vec3; // the camera is above the floor
  const y = up.map((v) => -v) as Vec3;
  const x = unit(sub(b, a));
  const z = cross(x, y);
  const rows = [x, y, z];
  return [...rows.flatMap((r) => [...r, -dot(r, a)]), 0, 0, 0, 1];
}

export const scaledBy = (m: Matrix4, k: number): Matrix4 => m.map((v, i) => (i < 12 ? v * k : v));

export const movedBy = (m: Matrix4, by: Vec3): Matrix4 =>
  m.map((v, i) => (i % 4 === 3 && i < 12 ? v + by[(i - 3) / 4] : v));

export function turned([x, y, z]: Vec3): number[] {
  const [a, b, c] = [x, y, z].map((v) => (v * Math.PI) / 180);
  const [ca, sa, cb, sb, cc, sc] = [Math.cos(a), Math.sin(a), Math.cos(b), Math.sin(b), Math.cos(c), Math.sin(c)];
  return [
    cc * cb,
    cc * sb * sa - sc * ca,
    cc * sb * ca + sc * sa,
    sc * cb,
    sc * sb * sa + cc * ca,
    sc * sb * ca - cc * sa,
    -sb,
    cb * sa,
    cb * ca,
  ];
}

/** Where a layer in depth lies at a frame, what it hangs from included: a turn, a place, and whose scene it is. */
export function modelOf(
  shot: Shot,
  layer: Layer,
  frame: number,
): { turn: number[]; place: Vec3; track: string | null } | null {
  const depth = hasPlace(layer) ? layer.place.depth : null;
  if (!depth || isVeil(layer)) return null;
  const own = { turn: turned(sample(depth.rotation, frame)), place: sample(depth.position, frame), track: depth.track };
  const above = layer.place.hang ? modelOf(shot, shot.layers[layer.place.hang.layer], frame) : null;
  if (!above) return own;
  const r = above.turn;
  const place = [0, 1, 2].map(
    (k) => above.place[k] + [0, 1, 2].reduce((sum, c) => sum + r[k * 3 + c] * own.place[c], 0),
  ) as Vec3;
  return { turn: times3(r, own.turn), place, track: above.track };
}

const times3 = (a: number[], b: number[]) =>
  [0, 1, 2].flatMap((row) => [0, 1, 2].map((c) => [0, 1, 2].reduce((s, i) => s + a[row * 3 + i] * b[i * 3 + c], 0)));

/** The frame's pose (3x4) in the track's world: world to camera, its turn without the world's scale. */
export function poseIn(
  file: CameraFile,
  world: Matrix4,
  frame: number,
): { eye: Vec3; axes: [Vec3, Vec3, Vec3] } | null {
  const pose = file.frames.find((f) => f.frame === frame)?.world_to_camera;
  if (!pose) return null;
  const k = sizeOf4(world);
  const axes = [0, 1, 2].map((row) => {
    const axis = [pose[row * 4], pose[row * 4 + 1], pose[row * 4 + 2]];
    return [0, 1, 2].map(
      (r) => (world[r * 4] * axis[0] + world[r * 4 + 1] * axis[1] + world[r * 4 + 2] * axis[2]) / k,
    ) as Vec3;
  });
  return { eye: through4(world, eyeOf(pose)), axes: axes as [Vec3, Vec3, Vec3] };
}
