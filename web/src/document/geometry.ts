/** Where a layer lies, for handles only: 3x3 matrices row by row. */
import { sample } from "./animate";
import type { Place, Vec2 } from "./types";

export type Matrix = number[];
export const IDENTITY: Matrix = [1, 0, 0, 0, 1, 0, 0, 0, 1];

export function times(a: Matrix, b: Matrix): Matrix {
  return [0, 1, 2].flatMap((r) =>
    [0, 1, 2].map((c) => a[r * 3] * b[c] + a[r * 3 + 1] * b[3 + c] + a[r * 3 + 2] * b[6 + c]),
  );
}

export function through(m: Matrix, [x, y]: Vec2): Vec2 {
  const w = m[6] * x + m[7] * y + m[8] || 1e-9;
  return [(m[0] * x + m[1] * y + m[2]) / w, (m[3] * x + m[4] * y + m[5]) / w];
}

export function inverse(m: Matrix): Matrix {
  const [a, b, c, d, e, f, g, h, i] = m;
  const adjugate = [
    e * i - f * h,
    c * h - b * i,
    b * f - c * e,
    f * g - d * i,
    a * i - c * g,
    c * d - a * f,
    d * h - e * g,
    b * g - a * h,
    a * e - b * d,
  ];
  const det = a * adjugate[0] + b * adjugate[3] + c * adjugate[6] || 1e-12;
  return adjugate.map((v) => v / det);
}

/** A place's own transform, from pixels of a picture of a size to shot pixels; rides and hanging left out. `pivot` is what the
 * pivot's own ride does: the picture turns and grows about where that has taken it. */
export function own(place: Place, [w, h]: Vec2, frame: number, pivot: Matrix = IDENTITY): Matrix {
  const position = sample(place.position, frame);
  const [x, y] = through(pivot, position);
  const [sx, sy] = sample(place.scale, frame);
  const [px, py] = sample(place.pivot, frame);
  const r = (sample(place.rotation, frame) * Math.PI) / 180;
  const [c, s] = [Math.cos(r), Math.sin(r)];
  return times(
    [c * sx, -s * sy, x, s * sx, c * sy, y, 0, 0, 1],
    [1, 0, position[0] - x - px - w / 2, 0, 1, position[1] - y - py - h / 2, 0, 0, 1],
  );
}
