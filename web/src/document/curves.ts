/** Curves of keyed parameters over time: their components, their range, their keys' handles. */
import { sample } from "./animate";
import type { Animated, Key, Vec2 } from "./types";

export type Plotted = number | number[];

/** The components of a value that can be drawn as curves; none for drawn curves and switches. */
export function components(value: unknown): number[] {
  if (typeof value === "number") return [value];
  return Array.isArray(value) && value.every((v) => typeof v === "number") ? (value as number[]) : [];
}

/** What the components of a parameter are called: three are a colour, but for places and turns in depth. */
export const namesOf = (path: string, n: number): string[] =>
  n === 1 ? [""] : n === 2 || /\/depth\/(position|rotation)$/.test(path) ? ["x", "y", "z"] : ["red", "green", "blue"];

/** A value with one component changed. */
export function withComponent(value: Plotted, i: number, to: number): Plotted {
  return Array.isArray(value) ? value.map((v, k) => (k === i ? to : v)) : to;
}

/** Samples of one component, `per` to a frame, from first to last frame. */
export function trace(parameter: Animated, component: number, first: number, last: number, per = 4): Vec2[] {
  const out: Vec2[] = [];
  for (let i = 0; i <= (last - first) * per; i += 1) {
    const frame = first + i / per;
    out.push([frame, components(sample<unknown>(parameter, frame))[component] ?? 0]);
  }
  return out;
}

/** Change a second of a traced curve, at the middle of each step. */
export function speed(points: Vec2[], fps: number): Vec2[] {
  return points
    .slice(1)
    .map((p, i) => [(p[0] + points[i][0]) / 2, ((p[1] - points[i][1]) / (p[0] - points[i][0])) * fps]);
}

/** Lowest and highest value with a tenth of room on both sides; never empty. */
export function bounds(curves: Vec2[][]): Vec2 {
  const values = curves.flat().map((p) => p[1]);
  const low = Math.min(...values);
  const high = Math.max(...values);
  const room = high > low ? (high - low) * 0.12 : Math.max(Math.abs(high) * 0.1, 0.5);
  return [low - room, high + room];
}

/** Where the two handles of a shaped ease lie: (frame, value) for one component. */
export function handlePoints(key: Key, next: Key, component: number): [Vec2, Vec2] {
  const [x1, y1, x2, y2] = key.handles;
  const [a, b] = [components(key.value)[component], components(next.value)[component]];
  const at = (x: number, y: number): Vec2 => [key.frame + x * (next.frame - key.frame), a + y * (b - a)];
  return [at(x1, y1), at(x2, y2)];
}

/** The handles after one of them was pulled to (frame, value); where nothing changes only its time counts. */
export function pulled(key: Key, next: Key, component: number, which: 0 | 1, to: Vec2): Key["handles"] {
  const [a, b] = [components(key.value)[component], components(next.value)[component]];
  const x = Math.min(Math.max((to[0] - key.frame) / (next.frame - key.frame), 0), 1);
  const y = a === b ? key.handles[which * 2 + 1] : Math.min(Math.max((to[1] - a) / (b - a), -4), 5);
  const out = [...key.handles] as Key["handles"];
  out[which * 2] = Number(x.toFixed(4));
  out[which * 2 + 1] = Number(y.toFixed(4));
  return out;
}
