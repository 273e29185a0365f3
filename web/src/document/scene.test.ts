import { expect, test } from "vitest";
import { floorThrough, inverse4, modelOf, SAME, scaledBy, sizeOf4, through4, times4 } from "./scene";
import type { Shot, Vec3 } from "./types";

const floor = floorThrough([1, 2, 3], [2, 2, 3.5], [1, 2.4, 5], [0, -5, 0])!;

test("a floor is flat, the camera is above it, and the first point is the origin", () => {
  for (const p of [
    [1, 2, 3],
    [2, 2, 3.5],
    [1, 2.4, 5],
  ])
    expect(through4(floor, p)[1]).toBeCloseTo(0, 9);
  expect(through4(floor, [1, 2, 3]).map((v) => Math.abs(v))).toEqual([0, 0, 0].map(() => expect.closeTo(0, 9)));
  expect(through4(floor, [0, -5, 0])[1]).toBeLessThan(0);
  expect(through4(floor, [2, 2, 3.5])[2]).toBeCloseTo(0, 9);
  expect(floorThrough([0, 0, 0], [1, 1, 1], [2, 2, 2], [0, -5, 0])).toBeNull();
});

test("worlds are turned back, scaled and measured", () => {
  const large = scaledBy(floor, 4);
  expect(sizeOf4(large)).toBeCloseTo(4, 9);
  times4(large, inverse4(large)).forEach((v, i) => expect(v).toBeCloseTo(SAME[i], 9));
});

test("what hangs in depth goes round with what it hangs from", () => {
  const constant = (value: unknown) => ({ value, keys: [] });
  const layer = (id: string, position: Vec3, rotation: Vec3, hang: string | null, track: string | null) => ({
    content: { kind: "nothing" },
    id,
    meeting: [],
    place: {
      depth: { track, position: constant(position), rotation: constant(rotation), width: constant(1), facing: "own" },
      hang: hang && { layer: hang, reference_frame: 0 },
    },
  });
  const shot = {
    layers: {
      ring: layer("ring", [10, 0, 50], [0, 90, 0], null, "cam"),
      card: layer("card", [0, 0, -5], [0, 0, 0], "ring", null),
    },
  } as unknown as Shot;
  const model = modelOf(shot, shot.layers.card, 0)!;
  expect(model.track).toBe("cam");
  [5, 0, 50].forEach((v, i) => expect(model.place[i]).toBeCloseTo(v, 6));
});
