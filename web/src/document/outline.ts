/** Outlines of shapes: making them, changing their points, drawing them. */
import type { Outline, OutlinePoint, Vec2 } from "./types";

const CIRCLE = 0.5523; // how long a cubic's handles are for a quarter of a circle of radius 1
const corner = (at: Vec2): OutlinePoint => ({ at, before: [0, 0], after: [0, 0], outer: 0, inner: 0 });
const less = (a: Vec2, b: Vec2): Vec2 => [a[0] - b[0], a[1] - b[1]];
const plus = (a: Vec2, b: Vec2): Vec2 => [a[0] + b[0], a[1] + b[1]];
const times = (a: Vec2, k: number): Vec2 => [a[0] * k, a[1] * k];
const between = (a: Vec2, b: Vec2, t: number): Vec2 => [a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t];

/** All numbers of an outline in a row, as keys are mixed; and back. */
export const numbersOf = (o: Outline): number[] =>
  o.points.flatMap((p) => [...p.at, ...p.before, ...p.after, p.outer, p.inner]);
export const outlineOf = (n: number[]): Outline => ({
  points: Array.from({ length: n.length / 8 }, (_, i) => n.slice(i * 8, i * 8 + 8)).map((v) => ({
    at: [v[0], v[1]],
    before: [v[2], v[3]],
    after: [v[4], v[5]],
    outer: Math.max(0, v[6]),
    inner: Math.max(0, v[7]),
  })),
});

export const rounded = (o: Outline): Outline => outlineOf(numbersOf(o).map((v) => Number(v.toFixed(2))));

export function rectangle([ax, ay]: Vec2, [bx, by]: Vec2): Outline {
  return {
    points: (
      [
        [ax, ay],
        [bx, ay],
        [bx, by],
        [ax, by],
      ] as Vec2[]
    ).map(corner),
  };
}

export function ellipse(a: Vec2, b: Vec2): Outline {
  const [cx, cy] = between(a, b, 0.5);
  const [rx, ry] = [Math.abs(b[0] - a[0]) / 2, Math.abs(b[1] - a[1]) / 2];
  const at: Vec2[] = [
    [cx, cy - ry],
    [cx + rx, cy],
    [cx, cy + ry],
    [cx - rx, cy],
  ];
  const along: Vec2[] = [
    [rx * CIRCLE, 0],
    [0, ry * CIRCLE],
    [-rx * CIRCLE, 0],
    [0, -ry * CIRCLE],
  ];
  return { points: at.map((p, i) => ({ ...corner(p), before: times(along[i], -1), after: along[i] })) };
}

/** A hand-drawn stroke with few points: simplified (Ramer 1972, Douglas & Peucker 1973), then made smooth. */
export function fromStroke(stroke: Vec2[], tolerance: number, closed: boolean): Outline {
  const keep = new Set([0, stroke.length - 1]);
  const split = (a: number, b: number) => {
    let [far, at] = [tolerance, -1];
    const line = less(stroke[b], stroke[a]);
    const length = Math.hypot(...line) || 1;
    for (let i = a + 1; i < b; i += 1) {
      const d = less(stroke[i], stroke[a]);
      const away =
        length > 1e-6 && Math.hypot(...line) > 1e-6
          ? Math.abs(line[0] * d[1] - line[1] * d[0]) / length
          : Math.hypot(...d);
      if (away > far) [far, at] = [away, i];
    }
    if (at < 0) return;
    keep.add(at);
    split(a, at);
    split(at, b);
  };
  if (closed && stroke.length > 3) keep.add(Math.floor(stroke.length / 2)); // its ends lie together: the way out and the way back
  const fixed = [...keep].sort((a, b) => a - b);
  fixed.slice(1).forEach((b, i) => split(fixed[i], b));
  const points = [...keep].sort((a, b) => a - b).map((i) => stroke[i]);
  const near = Math.hypot(...less(points[0], points.at(-1)!)) < tolerance * 3;
  return smoothed({ points: (closed && near && points.length > 3 ? points.slice(0, -1) : points).map(corner) }, closed);
}

/** Handles as Catmull and Rom's curve has them. */
export function smoothed(o: Outline, closed: boolean): Outline {
  const n = o.points.length;
  return {
    points: o.points.map((p, i) => {
      if (!closed && (i === 0 || i === n - 1)) return p;
      const along = times(less(o.points[(i + 1) % n].at, o.points[(i + n - 1) % n].at), 1 / 6);
      return { ...p, before: times(along, -1), after: along };
    }),
  };
}

/** A point made a corner, or smooth when it is one. */
export function converted(o: Outline, i: number, closed: boolean): Outline {
  const p = o.points[i];
  const sharp = Math.hypot(...p.before) + Math.hypot(...p.after) < 1e-6;
  const next = sharp ? smoothed(o, closed).points[i] : { ...p, before: [0, 0] as Vec2, after: [0, 0] as Vec2 };
  return { points: o.points.map((q, k) => (k === i ? next : q)) };
}

/** A new point on the curve that leaves point i, at a share t of it; the curve stays as it is (de Casteljau). */
export function inserted(o: Outline, i: number, t: number): Outline {
  const n = o.points.length;
  const [a, b] = [o.points[i], o.points[(i + 1) % n]];
  const p: Vec2[] = [a.at, plus(a.at, a.after), plus(b.at, b.before), b.at];
  const q = [0, 1, 2].map((k) => between(p[k], p[k + 1], t));
  const r = [0, 1].map((k) => between(q[k], q[k + 1], t));
  const at = between(r[0], r[1], t);
  const made: OutlinePoint = {
    at,
    before: less(r[0], at),
    after: less(r[1], at),
    outer: a.outer + (b.outer - a.outer) * t,
    inner: a.inner + (b.inner - a.inner) * t,
  };
  const points = o.points.map((x) => ({ ...x }));
  points[i].after = less(q[0], a.at);
  points[(i + 1) % n].before = less(q[2], b.at);
  points.splice(i + 1, 0, made);
  return { points };
}

export const without = (o: Outline, gone: number[]): Outline => ({
  points: o.points.filter((_, i) => !gone.includes(i)),
});

export const moved = (o: Outline, which: number[], by: Vec2): Outline => ({
  points: o.points.map((p, i) => (which.includes(i) ? { ...p, at: plus(p.at, by) } : p)),
});

/** The place on the outline nearest to a point: (which curve, share of it, distance). */
export function nearest(o: Outline, closed: boolean, to: Vec2): { i: number; t: number; away: number } {
  let best = { i: 0, t: 0, away: Infinity };
  const n = o.points.length;
  for (let i = 0; i < (closed ? n : n - 1); i += 1) {
    for (let k = 0; k <= 24; k += 1) {
      const away = Math.hypot(...less(on(o, i, k / 24), to));
      if (away < best.away) best = { i, t: k / 24, away };
    }
  }
  return best;
}

/** The place at a share of the curve that leaves point i. */
export function on(o: Outline, i: number, t: number): Vec2 {
  const [a, b] = [o.points[i], o.points[(i + 1) % o.points.length]];
  const s = 1 - t;
  const p: Vec2[] = [a.at, plus(a.at, a.after), plus(b.at, b.before), b.at];
  const w = [s ** 3, 3 * s * s * t, 3 * s * t * t, t ** 3];
  return [0, 1].map((c) => p.reduce((sum, q, k) => sum + q[c] * w[k], 0)) as Vec2;
}

/** An SVG path of the outline, its places taken through `to`. */
export function pathOf(o: Outline, closed: boolean, to: (p: Vec2) => Vec2): string {
  const n = o.points.length;
  const say = (p: Vec2) =>
    to(p)
      .map((v) => v.toFixed(2))
      .join(" ");
  let d = `M${say(o.points[0].at)}`;
  for (let i = 0; i < (closed ? n : n - 1); i += 1) {
    const [a, b] = [o.points[i], o.points[(i + 1) % n]];
    d += `C${say(plus(a.at, a.after))} ${say(plus(b.at, b.before))} ${say(b.at)}`;
  }
  return closed ? `${d}Z` : d;
}

/** The direction out of the shape at a point, of length 1. */
export function outward(o: Outline, i: number, closed: boolean): Vec2 {
  const n = o.points.length;
  const back = closed || i > 0 ? less(o.points[i].at, on(o, (i + n - 1) % n, 0.9)) : ([0, 0] as Vec2);
  const ahead = closed || i < n - 1 ? less(on(o, i, 0.1), o.points[i].at) : ([0, 0] as Vec2);
  const along = plus(back, ahead);
  const length = Math.hypot(...along) || 1;
  const turn = signedArea(o) < 0 ? -1 : 1;
  return [(turn * along[1]) / length, (-turn * along[0]) / length];
}

function signedArea(o: Outline): number {
  return o.points.reduce((sum, p, i) => {
    const q = o.points[(i + 1) % o.points.length];
    return sum + p.at[0] * q.at[1] - p.at[1] * q.at[0];
  }, 0);
}

/** The second, dashed outline: where the soft edge ends. */
export function softEdge(o: Outline, closed: boolean, side: "outer" | "inner"): Outline | null {
  if (!o.points.some((p) => p[side] > 0)) return null;
  const sign = side === "outer" ? 1 : -1;
  return { points: o.points.map((p, i) => ({ ...p, at: plus(p.at, times(outward(o, i, closed), sign * p[side])) })) };
}
