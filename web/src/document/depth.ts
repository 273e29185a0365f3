/** Edits of layers in depth: setting them there, and rings of cards. */
import { blankLayer, newId } from "./ops";
import type { Layer, Depth, Op, Shot, Vec2, Vec3 } from "./types";
import { groupOf, hasPlace, stackAround } from "./layers";

const constant = <T>(value: T) => ({ value, keys: [] });
const STILL_FOCAL = 1.2; // as the server has it: the still camera's focal length, of the frame's width

export const newDepth = (
  position: Vec3,
  width: number,
  track: string | null = null,
  rotation: Vec3 = [0, 0, 0],
): Depth => ({
  track,
  position: constant(position),
  rotation: constant(rotation),
  width: constant(width),
  facing: "own",
});

/** Put a layer in depth where it is seen now, before the frame. */
export function intoDepth(shot: Shot, layer: Layer, at: Vec2, width: number): Op[] {
  const [w, h] = shot.size;
  return [
    {
      op: "replace",
      path: `/layers/${layer.id}/place/depth`,
      value: newDepth([at[0] - w / 2, at[1] - h / 2, 0], width),
    },
  ];
}

/** How far a drag of so many shot pixels moves something at a depth before the still camera. */
export const dragAt = (shot: Shot, z: number, by: Vec2): Vec2 =>
  by.map((v) => v * (1 + z / (STILL_FOCAL * shot.size[0]))) as Vec2;

export interface Ring {
  count: number;
  radius: number;
  width: number;
  tilt: number;
  facing: "out" | "in" | "camera";
}

/** A carrier with cards round it: copies of one layer, each of which can show any footage later. */
export function makeRing(shot: Shot, layer: Layer, ring: Ring): { ops: Op[]; carrier: string } {
  const carrier = {
    ...blankLayer(shot, "Carrier", { kind: "nothing" }),
    name: `Ring of ${layer.name}`,
    span: layer.span,
  };
  const { id, place } = carrier;
  carrier.place = {
    ...place,
    ride: layer.place.ride,
    depth: newDepth([0, 0, 0], ring.radius * 2, null, [ring.tilt, 0, 0]),
  };
  const ops: Op[] = [{ op: "add", path: `/layers/${id}`, value: carrier }];
  const ids: string[] = [];
  for (let i = 0; i < ring.count; i += 1) {
    const angle = (2 * Math.PI * i) / ring.count;
    const turn = (angle * 180) / Math.PI + (ring.facing === "in" ? 180 : 0);
    const at: Vec3 = [round(-ring.radius * Math.sin(angle)), 0, round(-ring.radius * Math.cos(angle))];
    const depth = {
      ...newDepth(at, ring.width, null, [0, ring.facing === "camera" ? 0 : round(turn), 0]),
      facing: ring.facing === "camera" ? ("camera" as const) : ("own" as const),
    };
    const card = {
      ...structuredClone(layer),
      id: newId(),
      name: `${layer.name} ${i + 1}`,
      place: { ...place, ride: null, hang: { layer: id, reference_frame: 0 }, depth, motion_blur: true },
    };
    ids.push(card.id);
    ops.push({ op: "add", path: `/layers/${card.id}`, value: card });
  }
  const around = stackAround(shot, groupOf(shot, layer.id));
  const index = around.stack.indexOf(layer.id);
  const rest = around.stack.filter((s) => s !== layer.id);
  rest.splice(index, 0, id, ...ids);
  const hanging = Object.values(shot.layers).some((l) => hasPlace(l) && l.place.hang?.layer === layer.id);
  if (hanging)
    rest.splice(index, 0, layer.id); // something hangs from it: it stays
  else ops.push({ op: "remove", path: `/layers/${layer.id}` });
  return { ops: [...ops, { op: "replace", path: around.path, value: rest }], carrier: id };
}

const round = (v: number) => Number(v.toFixed(2)) + 0; // no minus nought
