import { expect, test } from "vitest";
import { dragAt } from "./depth";
import type { Shot } from "./types";

const shot = { size: [960, 540] } as unknown as Shot;

test("a drag moves what is far away by more", () => {
  expect(dragAt(shot, 0, [10, 5])).toEqual([10, 5]);
  expect(dragAt(shot, 1.2 * 960, [10, 5])).toEqual([20, 10]);
});
