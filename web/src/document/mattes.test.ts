import { applyPatch } from "fast-json-patch";
import { expect, test } from "vitest";
import { cutBy, freeOf, newCut, newCutout, newMatte, newShape } from "./mattes";
import type { Cut, Op, Shot } from "./types";

const cuts = (...all: Cut[]) => Object.fromEntries(all.map((c) => [c.id, c]));
const none = { mattes: {} } as unknown as Shot;
const about = { ...newMatte(none, [newShape("Ellipse", { points: [] })], "About the head"), id: "about" };
const subject = {
  ...newMatte(none, [{ ...newCutout("plate"), fine_within: cuts(newCut("about")) }], "Pilot"),
  id: "subject",
};
const shot = {
  layers: {
    pilot: { id: "pilot", name: "Pilot, cut out", cuts: cuts(newCut("subject")), effects: {}, chain: [] },
    veil: {
      id: "veil",
      name: "Veil",
      cuts: {},
      chain: ["g"],
      effects: { g: { id: "g", kind: "grade", cuts: cuts(newCut("subject"), newCut("about", "outside")) } },
    },
  },
  tracks: { nail: { id: "nail", ignore: "subject" } },
  mattes: { about, subject },
} as unknown as Shot;
const after = (ops: Op[]) => applyPatch(structuredClone(shot), structuredClone(ops) as never).newDocument as Shot;

test("what a matte cuts is found wherever it is, and leads there", () => {
  expect(cutBy(shot, "subject").map((c) => [c.what, c.of])).toEqual([
    ["Pilot, cut out", { kind: "layer", id: "pilot" }],
    ["grade of Veil", { kind: "layer", id: "veil" }],
  ]);
  expect(cutBy(shot, "about").map((c) => [c.what, c.of])).toEqual([
    ["grade of Veil", { kind: "layer", id: "veil" }],
    ["the hair of Pilot", { kind: "matte", id: "subject" }],
  ]);
});

test("a matte is let go where it cuts", () => {
  const [one] = cutBy(shot, "about");
  const left = after(freeOf(one.path, one.cuts, "about"));
  expect(Object.values(left.layers.veil.effects.g.cuts).map((c) => c.matte)).toEqual(["subject"]);
});
