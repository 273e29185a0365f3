import { expect, test } from "vitest";
import cases from "./animate.cases.json";
import { sample } from "./animate";
import type { Animated } from "./types";

/** The numbers in a plain value, in order. */
const numbers = (value: unknown): number[] =>
  typeof value === "number" ? [value] : typeof value === "object" && value ? Object.values(value).flatMap(numbers) : [];

test.each(cases)("a $kind at frame $frame is what the core says", ({ parameter, frame, value }) => {
  const got = numbers(sample(parameter as unknown as Animated<unknown>, frame));
  const wanted = numbers(value);
  expect(got.length).toBe(wanted.length);
  got.forEach((n, i) => expect(n).toBeCloseTo(wanted[i], 9));
});
