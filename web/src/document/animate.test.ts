import { expect, test } from "vitest";
import cases from "./animate.cases.json";
import { sample } from "./animate";
import type { Animated } from "./types";

test.each(cases)("a parameter at frame $frame is what the core says", ({ parameter, frame, value }) => {
  expect(sample(parameter as unknown as Animated<number>, frame)).toBeCloseTo(value, 9);
});
