import { expect, test } from "vitest";
import type { Shot } from "./types";
import { carriedBy } from "./names";

test("a track carries layers, effects, what it holds still, and mattes that go by it", () => {
  const tied = { track: "t" };
  const place = (more: object) => ({ ride: null, pivot_ride: null, depth: null, steady: null, ...more });
  const layer = (id: string, more: object, effects: object[] = []) => [
    id,
    {
      id,
      name: id.toUpperCase(),
      content: { kind: "footage", footage: "f" },
      place: place(more),
      effects: Object.fromEntries(effects.map((e, i) => [`e${i}`, e])),
      chain: effects.map((_, i) => `e${i}`),
    },
  ];
  const shot = {
    layers: Object.fromEntries([
      layer("a", { ride: tied }),
      layer("b", { steady: tied }),
      layer("c", {}, [{ ride: tied }]),
      layer("d", { ride: { track: "other" } }),
    ]),
    mattes: {
      m: { id: "m", name: "M", order: ["p"], pieces: { p: { kind: "face", track: "t" } } },
      n: { id: "n", name: "N", order: ["p"], pieces: { p: { kind: "shape", ride: tied } } },
      o: { id: "o", name: "O", order: ["p"], pieces: { p: { kind: "shape", ride: null } } },
    },
  } as unknown as Shot;
  expect(carriedBy(shot, "t").map((c) => c.what)).toEqual(["A", "B", "C", "M", "N"]);
  expect(carriedBy(shot, "other").map((c) => c.of)).toEqual([{ kind: "layer", id: "d" }]);
});
