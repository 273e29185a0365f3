import { expect, test } from "vitest";
import { bounds, handlePoints, pulled, speed, trace, withComponent } from "./curves";
import type { Animated, Key } from "./types";

const key = (frame: number, value: number, ease: Key["ease"] = "bezier"): Key =>
  ({ frame, value, ease, handles: [0.25, 0, 0.75, 1] }) as Key;
const ramp = { value: 0, keys: [key(0, 2, "linear"), key(10, 12, "linear")] } as Animated;

test("a trace follows the parameter and its speed is the change a second", () => {
  const points = trace(ramp, 0, 0, 10);
  expect(points.at(-1)).toEqual([10, 12]);
  expect(speed(points, 24).every((p) => Math.abs(p[1] - 24) < 1e-9)).toBe(true);
});

test("a handle pulled to a place lies there", () => {
  const [a, b] = [key(10, 100), key(30, 300)];
  const handles = pulled(a, b, 0, 1, [25, 340]);
  expect(handlePoints({ ...a, handles }, b, 0)[1]).toEqual([25, 340]);
  expect(pulled(a, b, 0, 0, [99, 100])[0]).toBe(1);
  expect(pulled(a, { ...b, value: 100 } as Key, 0, 0, [15, 900])).toEqual([0.25, 0, 0.75, 1]);
});

test("the range has room and is never empty", () => {
  expect(
    bounds([
      [
        [0, 1],
        [1, 1],
      ],
    ]),
  ).toEqual([0.5, 1.5]);
  expect(
    bounds([
      [
        [0, 0],
        [1, 100],
      ],
    ]),
  ).toEqual([-12, 112]);
  expect(withComponent([1, 2], 1, 5)).toEqual([1, 5]);
});
