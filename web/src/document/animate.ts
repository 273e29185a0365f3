/** A parameter's value at a frame, as the server computes it; used to draw handles and show numbers. */
import { numbersOf, outlineOf } from "./outline";
import type { Animated, DrawnCurve, Outline, Vec2 } from "./types";

export function sample<T>(parameter: Animated<T>, frame: number): T {
  const keys = parameter.keys;
  if (!keys.length) return parameter.value;
  let left = -1;
  while (left + 1 < keys.length && keys[left + 1].frame <= frame) left += 1;
  if (left < 0) return keys[0].value;
  const key = keys[left];
  if (left === keys.length - 1 || key.ease === "hold" || key.frame === frame) return key.value;
  const next = keys[left + 1];
  const from = flat(key.value);
  const to = flat(next.value);
  if (from.length !== to.length) return key.value; // curves of other points: the one before holds
  const share = (frame - key.frame) / (next.frame - key.frame);
  if (key.ease !== "smooth") {
    const way = key.ease === "bezier" ? bezierShare(key.handles, share) : share;
    return shaped(
      key.value,
      from.map((v, i) => v + (to[i] - v) * way),
    );
  }
  const first = Math.max(left - 1, 0);
  const around = keys.slice(first, left + 3).map((k) => ({ frame: k.frame, numbers: flat(k.value) }));
  const alike = around.filter((k) => k.numbers.length === from.length);
  const frames = alike.map((k) => k.frame);
  const here = frames.indexOf(key.frame);
  return shaped(
    key.value,
    from.map((_, c) =>
      hermite(
        frames,
        alike.map((k) => k.numbers[c]),
        here,
        share,
      ),
    ),
  );
}

const isCurve = (value: object): value is DrawnCurve => Array.isArray((value as DrawnCurve).points?.[0]);

/** The numbers of any kind of value. */
function flat(value: unknown): number[] {
  if (typeof value === "number") return [value];
  if (Array.isArray(value)) return value.flatMap(flat);
  if (typeof value !== "object" || value === null) return [];
  return isCurve(value) ? value.points.flat() : numbersOf(value as Outline);
}

/** So many numbers as a value of the kind of another. */
function shaped<T>(like: T, numbers: number[]): T {
  if (typeof like === "number") return numbers[0] as T;
  if (Array.isArray(like)) {
    let at = 0;
    return like.map((part) => {
      const count = flat(part).length;
      at += count;
      return shaped(part, numbers.slice(at - count, at));
    }) as T;
  }
  return (isCurve(like as object) ? curveOf(numbers) : outlineOf(numbers)) as T;
}

const APART = 2e-4; // between the points of a drawn curve

/** A curve stays within its square, and runs from left to right, whatever an ease overshoots to. */
function curveOf(numbers: number[]): DrawnCurve {
  const held = numbers.map((n) => Math.min(Math.max(n, 0), 1));
  const points = Array.from({ length: held.length / 2 }, (_, i): Vec2 => [held[2 * i], held[2 * i + 1]]);
  for (let i = 1; i < points.length; i += 1) points[i][0] = Math.max(points[i][0], points[i - 1][0] + APART);
  points.forEach((p, i) => {
    p[0] = Math.min(p[0], 1 - (points.length - 1 - i) * APART);
  });
  return { points };
}

export function bezierShare([x1, y1, x2, y2]: [number, number, number, number], time: number): number {
  let low = 0;
  let high = 1;
  for (let i = 0; i < 40; i += 1) {
    const t = (low + high) / 2;
    const x = 3 * (1 - t) ** 2 * t * x1 + 3 * (1 - t) * t * t * x2 + t ** 3;
    if (x < time) low = t;
    else high = t;
  }
  const t = (low + high) / 2;
  return 3 * (1 - t) ** 2 * t * y1 + 3 * (1 - t) * t * t * y2 + t ** 3;
}

/** Monotone cubic between keys i and i + 1, flat at the first and last key (Fritsch & Carlson 1980). */
function hermite(frames: number[], values: number[], i: number, s: number): number {
  const width = frames[i + 1] - frames[i];
  const slope = (k: number) => {
    if (k === 0 || k === frames.length - 1) return 0;
    const h0 = frames[k] - frames[k - 1];
    const h1 = frames[k + 1] - frames[k];
    const d0 = (values[k] - values[k - 1]) / h0;
    const d1 = (values[k + 1] - values[k]) / h1;
    if (d0 * d1 <= 0) return 0;
    const w0 = 2 * h1 + h0;
    const w1 = h1 + 2 * h0;
    return (w0 + w1) / (w0 / d0 + w1 / d1);
  };
  return (
    (2 * s ** 3 - 3 * s ** 2 + 1) * values[i] +
    (s ** 3 - 2 * s ** 2 + s) * width * slope(i) +
    (-2 * s ** 3 + 3 * s ** 2) * values[i + 1] +
    (s ** 3 - s ** 2) * width * slope(i + 1)
  );
}
