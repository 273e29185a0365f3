import { expect, test } from "vitest";
import { sweeping } from "./sweeping";

test("five values go from end to end, the present one in the middle", () => {
  expect(sweeping(5, [0, 10], [0, 100], 1)).toEqual([0, 2.5, 5, 7.5, 10]);
  expect(sweeping(5, [0, 10], [0, 100], 0.2)).toEqual([4, 4.5, 5, 5.5, 6]);
  expect(sweeping(1, [0, 10], [0, 100], 1)).toEqual([0, 0.5, 1, 4.75, 8.5]);
});

test("an end that was passed leaves room beyond it, but not beyond what is accepted", () => {
  expect(sweeping(20, [0, 10], [0, 22], 1)).toEqual([12.5, 16.25, 20, 22, 22]);
  expect(sweeping(0, [0, 10], [0, 100], 1)).toEqual([0, 0, 0, 3.75, 7.5]);
});
