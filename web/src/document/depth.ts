/** Layers in depth: setting them there, and what a ring of cards is asked for. */
import type { Layer, Depth, Op, Shot, Vec2, Vec3 } from "./types";

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
