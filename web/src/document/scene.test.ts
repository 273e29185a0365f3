import { expect, test } from "vitest";
import {
  floorThrough,
  inverse4,
  modelOf,
  SAME,
  scaledBy,
  setWorld,
  sizeOf4,
  through4,
  times4,
  turned,
  turnsOf,
} from "./scene";
import type { CameraTrack, Shot, Vec3 } from "./types";

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

test("turns go into degrees and back", () => {
  for (const v of [
    [10, 20, 30],
    [-50, 80, 170],
    [0, 0, 0],
  ] as Vec3[])
    turnsOf(turned(v)).forEach((d, i) => expect(d).toBeCloseTo(v[i], 6));
});

test("what lies in the scene goes along with a new floor", () => {
  const constant = (value: unknown) => ({ value, keys: [] });
  const depth = {
    track: "cam",
    position: constant([1, 2, 3]),
    rotation: constant([0, 0, 0]),
    width: constant(2),
    facing: "own",
  };
  const track = { id: "cam", kind: "camera", world: null } as unknown as CameraTrack;
  const shot = {
    layers: {
      a: {
        content: { kind: "footage", footage: "f" },
        id: "a",
        place: { depth, hang: null },
        meets: { t: { id: "t", kind: "touches", on: true, soft: constant(5) } },
        meeting: ["t"],
      },
    },
    tracks: { cam: track },
    mattes: {
      m: {
        id: "m",
        order: ["d"],
        pieces: {
          d: { id: "d", kind: "distance", track: "cam", near: constant(3), far: constant(9), height: constant(0) },
        },
      },
    },
  } as unknown as Shot;
  const ops = setWorld(shot, track, scaledBy(floor, 4));
  const value = (name: string) => ops.find((o) => o.path === `/layers/a/place/depth/${name}/value`)!.value;
  expect((value("position") as Vec3).map((v) => Math.abs(v))).toEqual([0, 0, 0].map(() => expect.closeTo(0, 6)));
  expect(value("width")).toBeCloseTo(8, 6);
  expect(ops.find((o) => o.path === "/layers/a/meets/t/soft/value")!.value).toBeCloseTo(20, 6);
  expect(ops.find((o) => o.path === "/mattes/m/pieces/d/far/value")!.value).toBeCloseTo(36, 6);
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
