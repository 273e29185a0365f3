import { expect, test } from "vitest";
import { sample } from "./animate";
import {
  converted,
  ellipse,
  fromStroke,
  inserted,
  moved,
  nearest,
  numbersOf,
  on,
  outlineOf,
  outward,
  pathOf,
  rectangle,
  softEdge,
  without,
} from "./outline";
import type { Outline, Vec2 } from "./types";

const box = rectangle([10, 10], [30, 34]);
const round = ellipse([0, 0], [40, 20]);

test("numbers go there and back", () => {
  expect(outlineOf(numbersOf(round))).toEqual(round);
});

test("an ellipse touches the middles of its box", () => {
  expect(round.points.map((p) => p.at)).toEqual([
    [20, 0],
    [40, 10],
    [20, 20],
    [0, 10],
  ]);
  const [x, y] = on(round, 0, 0.5);
  expect(((x - 20) / 20) ** 2 + ((y - 10) / 10) ** 2).toBeCloseTo(1, 2);
});

test("a point put into a curve does not change it", () => {
  const more = inserted(round, 1, 0.3);
  expect(more.points).toHaveLength(5);
  for (const t of [0.2, 0.6, 0.9]) {
    const [x, y] = on(more, 2, t);
    const [u, v] = on(round, 1, 0.3 + 0.7 * t);
    expect(x).toBeCloseTo(u, 6);
    expect(y).toBeCloseTo(v, 6);
  }
});

test("points are moved together, taken away, made round and sharp again", () => {
  expect(moved(box, [0, 1], [5, -2]).points.map((p) => p.at)).toEqual([
    [15, 8],
    [35, 8],
    [30, 34],
    [10, 34],
  ]);
  expect(without(box, [2]).points).toHaveLength(3);
  const soft = converted(box, 0, true);
  expect(Math.hypot(...soft.points[0].after)).toBeGreaterThan(1);
  expect(converted(soft, 0, true).points[0].after).toEqual([0, 0]);
});

test("out of a shape is away from its middle, whichever way it was drawn", () => {
  const turned: Outline = { points: [...box.points].reverse() };
  for (const shape of [box, turned]) {
    shape.points.forEach((p, i) => {
      const [nx, ny] = outward(shape, i, true);
      expect(nx * (p.at[0] - 20) + ny * (p.at[1] - 22)).toBeGreaterThan(0);
    });
  }
  const edge = softEdge({ points: round.points.map((p) => ({ ...p, outer: 4 })) }, true, "outer")!;
  expect(edge.points[0].at[1]).toBeCloseTo(-4, 5);
  expect(softEdge(round, true, "inner")).toBeNull();
});

test("a stroke keeps its shape with few points", () => {
  const stroke = Array.from({ length: 200 }, (_, i): Vec2 => [
    50 + 30 * Math.cos(i / 31.8),
    50 + 30 * Math.sin(i / 31.8),
  ]);
  const drawn = fromStroke(stroke, 1.5, true);
  expect(drawn.points.length).toBeLessThan(20);
  expect(Math.max(...stroke.map((p) => nearest(drawn, true, p).away))).toBeLessThan(3);
});

test("outlines travel between keys as the server has them travel", () => {
  const key = (frame: number, value: Outline) => ({
    frame,
    value,
    ease: "linear" as const,
    handles: [0.33, 0, 0.67, 1] as [number, number, number, number],
  });
  const parameter = { value: box, keys: [key(0, box), key(10, moved(box, [0, 1, 2, 3], [20, 0]))] };
  expect(sample(parameter, 5).points[0].at).toEqual([20, 10]);
  const eased = { ...parameter, keys: parameter.keys.map((k) => ({ ...k, ease: "smooth" as const })) };
  expect(sample(eased, 5).points[0].at[0]).toBeCloseTo(20, 6);
});

test("a path is drawn through a transform and closed", () => {
  expect(pathOf(box, true, ([x, y]) => [x * 2, y])).toMatch(/^M20.00 10.00C.*Z$/);
});
