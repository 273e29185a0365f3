import { expect, test } from "vitest";
import type { Shot } from "../document/types";
import { carriedBy } from "./names";

test("a track carries layers, effects, what it holds still, and mattes that go by it", () => {
  const tied = { track: "t" };
  const place = (more: object) => ({ ride: null, pivot_ride: null, depth: null, steady: null, ...more });
  const layer = (id: string, more: object, effects: object[] = []) => [id, { id, name: id.toUpperCase(), kind: "footage", place: place(more), effects }];
  const shot = {
    layers: Object.fromEntries([layer("a", { ride: tied }), layer("b", { steady: tied }), layer("c", {}, [{ ride: tied }]), layer("d", { ride: { track: "other" } })]),
    mattes: { m: { id: "m", name: "M", pieces: [{ kind: "face", track: "t" }] }, n: { id: "n", name: "N", pieces: [{ kind: "shape", ride: tied }] }, o: { id: "o", name: "O", pieces: [{ kind: "shape", ride: null }] } },
  } as unknown as Shot;
  expect(carriedBy(shot, "t").map((c) => c.what)).toEqual(["A", "B", "C", "M", "N"]);
  expect(carriedBy(shot, "other").map((c) => c.of)).toEqual([{ kind: "layer", id: "d" }]);
});
