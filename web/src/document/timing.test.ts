import { describe, expect, it } from "vitest";
import { footageFrame, fromPlateFrame, plateFrame, plateStretch, shotFrame } from "./timing";
import type { Animated, Layer, Shot, TimeMap } from "./types";

const one = (v: number): Animated<number> => ({ value: v, keys: [] });
const layer = (more: Partial<TimeMap>) =>
  ({
    id: "p",
    content: { kind: "footage", footage: "wall" },
    time: { start: 0, speed: one(1), position: null, end: "hold", between: "nearest", ...more },
  }) as Layer;
const shot = (l: Layer, rate = "24/1") =>
  ({
    frames: 48,
    rate: "24/1",
    plate: "p",
    layers: { p: l },
    footage: { wall: { frames: 48, rate } },
  }) as unknown as Shot;
const frames = (l: Layer, at: number[], rate?: string) => at.map((f) => footageFrame(shot(l, rate), l, f));

describe("footage in the shot's time", () => {
  it("starts late, runs fast, slow and backwards", () => {
    expect(frames(layer({ start: 5 }), [5, 10])).toEqual([0, 5]);
    expect(frames(layer({ start: 5, speed: one(2) }), [5, 6, 10])).toEqual([0, 2, 10]);
    expect(frames(layer({ speed: one(0.5) }), [0, 1, 2, 3])).toEqual([0, 0, 1, 1]);
    expect(frames(layer({ speed: one(-1) }), [0, 1, 47])).toEqual([47, 46, 0]);
    expect(frames(layer({}), [0, 1, 2], "48/1")).toEqual([0, 2, 4]);
  });
  it("travels as far as a keyed speed says, as the server does", () => {
    const key = (frame: number, value: number) => ({
      frame,
      value,
      ease: "linear" as const,
      handles: [0.33, 0, 0.67, 1] as [number, number, number, number],
    });
    const l = layer({ speed: { value: 1, keys: [key(0, 0), key(20, 2)] } });
    expect(frames(l, [10, 20, 25])).toEqual([5, 20, 30]);
    expect([5, 20].map((i) => shotFrame(shot(l), l, i))).toEqual([10, 20]);
  });
  it("finds its way back", () => {
    const s = shot(layer({ start: 7 }));
    expect(fromPlateFrame(s, plateFrame(s, 20))).toBe(20);
  });
  it("tells which of the plate's frames a stretch shows", () => {
    expect(plateStretch(shot(layer({ start: 7 })), [10, 20])).toEqual([3, 13]);
    expect(plateStretch(shot(layer({ speed: one(-1) })), [0, 9])).toEqual([38, 47]);
    expect(plateStretch(shot(layer({}), "48/1"), [2, 4])).toEqual([4, 8]);
  });
});
