import { applyPatch } from "fast-json-patch";
import { beforeEach, expect, test } from "vitest";
import { inverse, own, through, times } from "./geometry";
import { moveKeys, setValue, toggleKey } from "./ops";
import type { Footage, Layer, Op, Shot } from "./types";

const footage = {
  id: "wall",
  name: "Wall",
  kind: "clip",
  media: "0".repeat(32),
  size: [320, 180],
  rate: "24/1",
  frames: 48,
  alpha: false,
  sound: false,
  space: "",
} as Footage;
let shot: Shot;
const after = (ops: Op[]) => applyPatch(structuredClone(shot), structuredClone(ops) as never).newDocument as Shot;

beforeEach(() => {
  shot = {
    schema_version: 4,
    name: "T",
    size: [320, 180],
    rate: "24/1",
    frames: 48,
    trim: [0, 47],
    blend_in: "display",
    footage: { wall: footage },
    layers: {},
    stack: [],
    plate: null,
    tracks: {},
    mattes: {},
    cues: {},
  } as unknown as Shot;
  const constant = (value: unknown) => ({ value, keys: [] });
  const place = {
    position: constant([160, 90]),
    scale: constant([1, 1]),
    rotation: constant(0),
    pivot: constant([0, 0]),
  };
  shot.layers.plate = { id: "plate", opacity: constant(1), place } as unknown as Layer;
  shot.stack = ["plate"];
  shot.plate = "plate";
});

test("setting a value changes the constant, or the key of the frame", () => {
  const path = "/layers/plate/opacity";
  expect(after(setValue(shot, path, 5, 0.5)).layers.plate.opacity).toEqual({ value: 0.5, keys: [] });
  shot = after(toggleKey(shot, path, 5));
  shot = after(setValue(shot, path, 20, 0.25));
  expect(shot.layers.plate.opacity.keys.map((k) => [k.frame, k.value])).toEqual([
    [5, 1],
    [20, 0.25],
  ]);
  shot = after(toggleKey(shot, path, 5));
  shot = after(toggleKey(shot, path, 20));
  expect(shot.layers.plate.opacity).toEqual({ value: 0.25, keys: [] });
});

test("moved keys take the place of those they land on", () => {
  const key = (frame: number) => ({
    frame,
    value: frame,
    ease: "linear" as const,
    handles: [0, 0, 1, 1] as [number, number, number, number],
  });
  const moved = moveKeys({ value: 0, keys: [key(1), key(4), key(9)] }, [1], 3);
  expect(moved.map((k) => [k.frame, k.value])).toEqual([
    [4, 1],
    [9, 9],
  ]);
});

test("handles lie where the layer does, and a matrix undoes its inverse", () => {
  const layer = shot.layers.plate as Layer;
  layer.place.rotation.value = 90;
  const m = own(layer.place, [320, 180], 0);
  const corner = through(m, [0, 0]);
  expect(corner[0]).toBeCloseTo(160 + 90);
  expect(corner[1]).toBeCloseTo(90 - 160);
  const tilted = times([1.2, 0.1, 30, -0.2, 0.9, 10, 0.001, 0.0004, 1], m);
  const there = through(inverse(tilted), through(tilted, [40, 70]));
  expect(there[0]).toBeCloseTo(40);
  expect(there[1]).toBeCloseTo(70);
});
