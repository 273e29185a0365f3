import { expect, test } from "vitest";
import { dragAt, makeRing } from "./depth";
import type { Layer, Shot } from "./types";

const layer = {
  id: "card",
  name: "Card",
  content: { kind: "footage", footage: "f" },
  span: null,
  place: { ride: null },
} as unknown as Layer;
const shot = { size: [960, 540], layers: { card: layer }, stack: ["top", "card", "plate"] } as unknown as Shot;

test("a ring is a carrier with cards at equal distances, in place of the layer", () => {
  const { ops, carrier } = makeRing(shot, layer, { count: 4, radius: 100, width: 80, tilt: 10, facing: "out" });
  const added = ops.filter((o) => o.op === "add").map((o) => o.value as Layer);
  expect(added).toHaveLength(5);
  const cards = added.slice(1).map((l) => l.place.depth!);
  expect(cards.map((d) => Math.hypot(d.position.value[0], d.position.value[2]))).toEqual([100, 100, 100, 100]);
  expect(cards[0].position.value).toEqual([0, 0, -100]); // the first is nearest the lens
  expect(cards.map((d) => d.rotation.value[1])).toEqual([0, 90, 180, 270]);
  expect(ops.at(-1)!.value).toEqual(["top", carrier, ...added.slice(1).map((l) => l.id), "plate"]);
  expect(ops).toContainEqual({ op: "remove", path: "/layers/card" });
});

test("a drag moves what is far away by more", () => {
  expect(dragAt(shot, 0, [10, 5])).toEqual([10, 5]);
  expect(dragAt(shot, 1.2 * 960, [10, 5])).toEqual([20, 10]);
});
