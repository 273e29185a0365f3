import { applyPatch } from "fast-json-patch";
import { expect, test } from "vitest";
import { cutBy, newCut, newCutout, newMatte, newShape, removeMatte } from "./mattes";
import type { Op, Shot } from "./types";

const none = { mattes: {} } as unknown as Shot;
const about = { ...newMatte(none, [newShape("Ellipse", { points: [] })], "About the head"), id: "about" };
const subject = { ...newMatte(none, [{ ...newCutout("plate"), fine_within: [newCut("about")] }], "Pilot"), id: "subject" };
const shot = {
  layers: {
    pilot: { id: "pilot", name: "Pilot, cut out", cut: [newCut("subject")], effects: [] },
    veil: { id: "veil", name: "Veil", cut: [], effects: [{ kind: "grade", cut: [newCut("subject"), newCut("about", "outside")] }] },
  },
  tracks: { nail: { id: "nail", ignore: "subject" } },
  mattes: { about, subject },
} as unknown as Shot;
const after = (ops: Op[]) => applyPatch(structuredClone(shot), structuredClone(ops) as never).newDocument as Shot;

test("what a matte cuts is found wherever it is, and leads there", () => {
  expect(cutBy(shot, "subject").map((c) => [c.what, c.of])).toEqual([["Pilot, cut out", { kind: "layer", id: "pilot" }], ["grade of Veil", { kind: "layer", id: "veil" }]]);
  expect(cutBy(shot, "about").map((c) => [c.what, c.of])).toEqual([["grade of Veil", { kind: "layer", id: "veil" }], ["the hair of Pilot", { kind: "matte", id: "subject" }]]);
});

test("a matte that is removed leaves nothing behind that names it", () => {
  for (const id of ["about", "subject"]) {
    const left = after(removeMatte(shot, id));
    expect(JSON.stringify(left)).not.toContain(`"${id}"`);
    expect(Object.keys(left.mattes)).toHaveLength(1);
  }
});
