import { applyPatch } from "fast-json-patch";
import { expect, test } from "vitest";
import { patched } from "./patch";
import type { Op } from "./types";

const document = () => ({
  name: "a",
  layers: { x: { keys: [{ frame: 0 }, { frame: 9 }], "a/b": 1 }, y: { keys: [] as unknown[] } },
  stack: ["x", "y"],
});
const CHANGES: Op[][] = [
  [{ op: "replace", path: "/name", value: "b" }],
  [
    { op: "add", path: "/layers/x/keys/1", value: { frame: 4 } },
    { op: "remove", path: "/layers/x/keys/0" },
  ],
  [
    { op: "add", path: "/layers/z", value: { keys: [] } },
    { op: "add", path: "/layers/z/keys/-", value: 3 },
    { op: "add", path: "/stack/0", value: "z" },
  ],
  [{ op: "replace", path: "/layers/x/a~1b", value: 2 }],
  [{ op: "move", from: "/layers/x", path: "/layers/w" } as never, { op: "replace", path: "/layers/w/a~1b", value: 5 }],
  [{ op: "copy", from: "/layers/x", path: "/layers/w" } as never, { op: "replace", path: "/layers/w/a~1b", value: 5 }],
];

test.each(CHANGES)("a patch does what the library does, and leaves the document alone", (...ops) => {
  const before = document();
  const after = patched(before, ops);
  expect(after).toEqual(applyPatch(structuredClone(document()), structuredClone(ops) as never).newDocument);
  expect(before).toEqual(document());
});

test("what is not touched stays the very same", () => {
  const before = document();
  const after = patched(before, [{ op: "replace", path: "/layers/x/keys/0/frame", value: 1 }]);
  expect(after.layers.y).toBe(before.layers.y);
  expect(after.stack).toBe(before.stack);
  expect(after.layers.x.keys[1]).toBe(before.layers.x.keys[1]);
  expect(after.layers.x).not.toBe(before.layers.x);
});

test("what does not fit throws", () => {
  expect(() => patched(document(), [{ op: "replace", path: "/layers/none/keys", value: [] }])).toThrow();
});
