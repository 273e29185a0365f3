/** A parameter's value at a frame, as the server computes it; used to draw handles and show numbers. */
import { numbersOf, outlineOf } from "./outline";
import type { Animated, DrawnCurve, Key, Outline, Vec2 } from "./types";

type Numeric = number | number[] | DrawnCurve;

export function sample<T>(parameter: Animated<T>, frame: number): T {
  const keys = parameter.keys;
  if (!keys.length) return parameter.value;
  if (isOutline(keys[0].value)) {
    const plain = keys.map((k) => ({ ...k, value: numbersOf(k.value as Outline) }));
    return outlineOf(sample({ value: plain[0].value, keys: plain }, frame)) as T;
  }
  let left = -1;
  while (left + 1 < keys.length && keys[left + 1].frame <= frame) left += 1;
  if (left < 0) return keys[0].value;
  const key = keys[left];
  if (left === keys.length - 1 || key.ease === "hold" || key.frame === frame) return key.value;
  const next = keys[left + 1];
  let share = (frame - key.frame) / (next.frame - key.frame);
  if (key.ease === "smooth") return smooth(keys as Key<Numeric>[], left, share) as T;
  if (key.ease === "bezier") share = bezierShare(key.handles, share);
  return mix(key.value as Numeric, next.value as Numeric, share) as T;
}

const isOutline = (value: unknown): value is Outline => {
  const points = (value as Outline | null)?.points;
  return Array.isArray(points) && !Array.isArray(points[0]);
};

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

function mix(a: Numeric, b: Numeric, share: number): Numeric {
  if (typeof a === "number") return a + ((b as number) - a) * share;
  if (Array.isArray(a)) return a.map((v, i) => v + ((b as number[])[i] - v) * share);
  const other = b as DrawnCurve;
  if (a.points.length !== other.points.length) return share < 1 ? a : other;
  const k = Math.min(Math.max(share, 0), 1);
  return { points: a.points.map((p, i) => mix(p, other.points[i], k) as Vec2) };
}

function smooth(keys: Key<Numeric>[], i: number, share: number): Numeric {
  const value = keys[i].value;
  if (typeof value === "object" && !Array.isArray(value))
    return mix(value, keys[i + 1].value, share * share * (3 - 2 * share));
  const from = Math.max(i - 1, 0);
  const around = keys.slice(from, i + 3);
  const frames = around.map((k) => k.frame);
  const first = i - from;
  if (typeof value === "number")
    return hermite(
      frames,
      around.map((k) => k.value as number),
      first,
      share,
    );
  return value.map((_, c) =>
    hermite(
      frames,
      around.map((k) => (k.value as number[])[c]),
      first,
      share,
    ),
  );
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
