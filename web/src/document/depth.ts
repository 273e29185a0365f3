/** Layers in depth: how a drag moves them, and what a ring of cards is asked for. */
import type { Shot, Vec2 } from "./types";

const STILL_FOCAL = 1.2; // as the server has it: the still camera's focal length, of the frame's width

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
