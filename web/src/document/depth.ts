/** Edits of layers in depth: setting them there, and rings of cards. */
import { newId } from "./ops";
import type { CarrierLayer, Depth, FootageLayer, Op, Shot, Vec2, Vec3 } from "./types";

const constant = <T>(value: T) => ({ value, keys: [] });
const STILL_FOCAL = 1.2; // as the server has it: the still camera's focal length, of the frame's width

export const newDepth = (position: Vec3, width: number, track: string | null = null, rotation: Vec3 = [0, 0, 0]): Depth =>
  ({ track, position: constant(position), rotation: constant(rotation), width: constant(width), facing: "own", shadow: constant(0), shadow_soft: constant(20) });

/** Put a layer in depth where it is seen now, before the frame. */
export function intoDepth(shot: Shot, layer: FootageLayer | CarrierLayer, at: Vec2, width: number): Op[] {
  const [w, h] = shot.size;
  return [{ op: "replace", path: `/layers/${layer.id}/place/depth`, value: newDepth([at[0] - w / 2, at[1] - h / 2, 0], width) }];
}

/** How far a drag of so many shot pixels moves something at a depth before the still camera. */
export const dragAt = (shot: Shot, z: number, by: Vec2): Vec2 => by.map((v) => v * (1 + z / (STILL_FOCAL * shot.size[0]))) as Vec2;

export interface Ring { count: number; radius: number; width: number; tilt: number; facing: "out" | "in" | "camera" }

/** A carrier with cards round it: copies of one layer, each of which can show any footage later. */
export function makeRing(shot: Shot, layer: FootageLayer, ring: Ring): { ops: Op[]; carrier: string } {
  const place = { position: constant([shot.size[0] / 2, shot.size[1] / 2]), scale: constant([1, 1]), rotation: constant(0), pivot: constant([0, 0]), corners: null, hang: null, steady: null, motion_blur: false };
  const id = newId();
  const carrier = { kind: "carrier", id, name: `Ring of ${layer.name}`, visible: true, span: layer.span, opacity: constant(1), cut: [], effects: [], place: { ...place, ride: layer.place.ride, depth: newDepth([0, 0, 0], ring.radius * 2, null, [ring.tilt, 0, 0]) } };
  const ops: Op[] = [{ op: "add", path: `/layers/${id}`, value: carrier }];
  const ids: string[] = [];
  for (let i = 0; i < ring.count; i += 1) {
    const angle = (2 * Math.PI * i) / ring.count;
    const turn = (angle * 180) / Math.PI + (ring.facing === "in" ? 180 : 0);
    const at: Vec3 = [round(-ring.radius * Math.sin(angle)), 0, round(-ring.radius * Math.cos(angle))];
    const depth = { ...newDepth(at, ring.width, null, [0, ring.facing === "camera" ? 0 : round(turn), 0]), facing: ring.facing === "camera" ? "camera" : "own" };
    const card = { ...structuredClone(layer), id: newId(), name: `${layer.name} ${i + 1}`, place: { ...place, ride: null, hang: { layer: id, reference_frame: 0 }, depth, motion_blur: true } };
    ids.push(card.id);
    ops.push({ op: "add", path: `/layers/${card.id}`, value: card });
  }
  const index = shot.stack.indexOf(layer.id);
  const rest = shot.stack.filter((s) => s !== layer.id);
  rest.splice(index, 0, id, ...ids);
  const hanging = Object.values(shot.layers).some((l) => l.kind !== "veil" && l.place.hang?.layer === layer.id);
  if (hanging) rest.splice(index, 0, layer.id); // something hangs from it: it stays
  else ops.push({ op: "remove", path: `/layers/${layer.id}` });
  return { ops: [...ops, { op: "replace", path: "/stack", value: rest }], carrier: id };
}

const round = (v: number) => Number(v.toFixed(2)) + 0; // no minus nought
