import { expect, test } from "vitest";
import { together } from "../state/uploads";
import { calculate } from "./arithmetic";
import { timeLeft } from "./WorkList";
import type { Run } from "../document/types";

test.each([
  ["1+2*3", 7],
  ["(1+2)*3", 9],
  ["-4/2", -2],
  ["12.5", 12.5],
  ["100-50%", null],
  ["", null],
  ["2+", null],
  ["alert(1)", null],
  ["1/0", null],
])("%s is %s", (text, value) => {
  expect(calculate(text)).toBe(value);
});

test("pictures of one kind go together, clips go alone", () => {
  const file = (name: string) => new File(["x"], name);
  const groups = together(["a_1.png", "b.mov", "a_2.png", "c.mp4", "d.exr"].map(file)).map((g) => g.map((f) => f.name));
  expect(groups).toEqual([["a_1.png", "a_2.png"], ["b.mov"], ["c.mp4"], ["d.exr"]]);
});

test("time left is told from what is done", () => {
  const run = { state: "running", started: new Date(0).toISOString(), done: 10, total: 40 } as Run;
  expect(timeLeft(run, 20_000)).toBe("60 s left");
  expect(timeLeft({ ...run, done: 0 }, 20_000)).toBe("");
  expect(timeLeft({ ...run, kind: "render" }, 20_000)).toBe("0.5 fr/s · 60 s left");
});
