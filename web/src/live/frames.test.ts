import { expect, test, vi } from "vitest";
import { comboOf } from "../tools/actions";
import { line } from "../sheet/CurveField";
import { fps, parametersOf, timecode } from "../document/names";
import { marks } from "../document/marks";
import type { About, Layer, TrackFile } from "../document/types";
import { FrameCache } from "./frames";

const bitmap = (width: number, height: number) => ({ width, height, close: vi.fn() }) as unknown as ImageBitmap;

test("pictures are kept up to a number of bytes, the longest unused go first", () => {
  const cache = new FrameCache(3 * 400);
  for (const key of ["a", "b", "c"]) cache.put(key, key, `key ${key}`, bitmap(10, 10));
  cache.get("a");
  cache.put("d", "d", `key ${"d"}`, bitmap(10, 10));
  expect(["a", "b", "c", "d"].map((k) => cache.has(k))).toEqual([true, false, true, true]);
  cache.put("a", "a", `key ${"a"}`, bitmap(10, 10));
  expect(cache.has("c")).toBe(true);
});

test("a picture stays over an edit that does not change it", () => {
  const cache = new FrameCache();
  const picture = bitmap(10, 10);
  cache.put("1 plate 0", "plate 0", "k", picture);
  expect(cache.get("2 plate 0")).toBeUndefined();
  expect(cache.keysOf("plate 0")).toEqual(["k"]);
  cache.name("2 plate 0", "plate 0", "other");
  cache.name("3 plate 0", "plate 0", "k");
  expect([cache.has("2 plate 0"), cache.get("3 plate 0")]).toEqual([false, picture]);
  expect(cache.keysOf("plate 0")).toEqual(["k"]); // of the other there is no picture
});

test("what is neither kept nor shown gives its memory back, soon", () => {
  vi.useFakeTimers();
  const cache = new FrameCache(400);
  const [first, second, drag] = [bitmap(10, 10), bitmap(10, 10), bitmap(10, 10)];
  cache.put("a", "a", `key ${"a"}`, first);
  cache.show("view", first);
  cache.put("b", "b", `key ${"b"}`, second); // the first must go, but is on screen
  vi.runAllTimers();
  expect(first.close).not.toHaveBeenCalled();
  cache.show("view", drag);
  vi.runAllTimers();
  expect(first.close).toHaveBeenCalledOnce();
  cache.show("view", second);
  vi.runAllTimers();
  expect(drag.close).toHaveBeenCalledOnce();
  expect(second.close).not.toHaveBeenCalled();
  vi.useRealTimers();
});

test("times are told in minutes, seconds and frames", () => {
  expect(timecode(31, "24/1")).toBe("00:01:07");
  expect(timecode(1800, "30000/1001")).toBe("01:00:00");
  expect(timecode(24 * 3661, "24/1")).toBe("01:01:01:00");
  expect(fps("24000/1001")).toBeCloseTo(23.976, 3);
});

test("key presses have one name each", () => {
  const press = (key: string, more: Partial<KeyboardEvent> = {}) =>
    comboOf({ key, ctrlKey: false, metaKey: false, shiftKey: false, ...more } as KeyboardEvent);
  expect(press("z", { ctrlKey: true })).toBe("Ctrl+Z");
  expect(press("Z", { metaKey: true, shiftKey: true })).toBe("Ctrl+Shift+Z");
  expect(press(" ")).toBe("Space");
  expect(press("?", { shiftKey: true })).toBe("?");
  expect(press("Backspace")).toBe("Delete");
});

test("a drawn curve starts and ends at its points and goes through the middle one", () => {
  const drawn = line([
    [0, 0],
    [0.5, 0.75],
    [1, 1],
  ])
    .split(" ")
    .map((p) => p.split(",").map(Number));
  expect(drawn[0]).toEqual([0, 150]);
  expect(drawn.at(-1)).toEqual([150, 0]);
  expect(drawn[30]).toEqual([75, 37.5]);
  drawn.slice(1).forEach((p, i) => expect(p[1]).toBeLessThanOrEqual(drawn[i][1]));
});

test("samples that are coming in stand over those stored", () => {
  const file = {
    kind: "point",
    frames: [
      { frame: 0, points: [[1, 1]], confidence: 0.9, lost: false },
      { frame: 1, points: [null], confidence: 0, lost: true },
    ],
  } as unknown as TrackFile;
  const found = marks(file, [
    [0, 5, 5, 1, 0],
    [2, 7, 7, 0.5, 1],
    [3, 0, 0, 1, 0, 1, 2, 3, 4, 5, 6, 7, 8],
  ]);
  expect(found.map((m) => [m.frame, m.lost, m.places])).toEqual([
    [0, false, [[5, 5]]],
    [1, true, [null]],
    [2, true, [[7, 7]]],
    [
      3,
      false,
      [
        [1, 2],
        [3, 4],
        [5, 6],
        [7, 8],
      ],
    ],
  ]);
  expect(marks(undefined, undefined)).toEqual([]);
});

test("every parameter of a layer has a path and a name", () => {
  const p = { value: 0, keys: [] };
  const layer = {
    content: { kind: "beneath" },
    id: "v",
    opacity: p,
    time: { position: null },
    cuts: {},
    meets: {},
    meeting: [],
    chain: ["b"],
    effects: {
      b: {
        kind: "blur",
        id: "b",
        on: true,
        mix: p,
        radius: p,
        cuts: { c: { id: "c", matte: "m", side: "inside", grow: p, soften: p } },
      },
    },
  } as unknown as Layer;
  const about = {
    contents: [],
    effects: [{ kind: "blur", title: "Blur", params: [{ name: "radius", title: "Radius" }] }],
  } as unknown as About;
  expect(parametersOf(layer, about).map((n) => [n.path, n.title])).toEqual([
    ["/layers/v/opacity", "opacity"],
    ["/layers/v/effects/b/mix", "blur: mix"],
    ["/layers/v/effects/b/radius", "blur: radius"],
    ["/layers/v/effects/b/cuts/c/grow", "blur: cut: grow"],
    ["/layers/v/effects/b/cuts/c/soften", "blur: cut: soften"],
  ]);
});
