/** Where a layer lies: the matrix from footage to shot pixels, for handles only. */
import { sample } from "./animate";
import type { FootageLayer, Shot, TrackFile, Vec2 } from "./types";

export interface Matrix { a: number; b: number; c: number; d: number; x: number; y: number }

export function place(layer: FootageLayer, shot: Shot, frame: number, offset: Vec2): Matrix {
  const [w, h] = shot.footage[layer.footage].size;
  const p = sample(layer.place.position, frame);
  const [sx, sy] = sample(layer.place.scale, frame);
  const [px, py] = sample(layer.place.pivot, frame);
  const r = (sample(layer.place.rotation, frame) * Math.PI) / 180;
  const [a, b, c, d] = [Math.cos(r) * sx, Math.sin(r) * sx, -Math.sin(r) * sy, Math.cos(r) * sy];
  const [ox, oy] = [-px - w / 2, -py - h / 2];
  return { a, b, c, d, x: p[0] + offset[0] + a * ox + c * oy, y: p[1] + offset[1] + b * ox + d * oy };
}

export const through = (m: Matrix, [x, y]: Vec2): Vec2 => [m.a * x + m.c * y + m.x, m.b * x + m.d * y + m.y];

/** The tracked position at a frame: bridged over lost frames, held at the ends; null without samples. */
export function trackedAt(file: TrackFile | undefined, frame: number): Vec2 | null {
  const good = file?.frames.filter((s) => !s.lost && s.points[0]);
  if (!good?.length) return null;
  const after = good.findIndex((s) => s.frame >= frame);
  if (after === 0) return good[0].points[0] as Vec2;
  if (after < 0) return good.at(-1)!.points[0] as Vec2;
  const [p, q] = [good[after - 1], good[after]];
  const k = (frame - p.frame) / (q.frame - p.frame);
  const [u, v] = [p.points[0] as Vec2, q.points[0] as Vec2];
  return [u[0] + (v[0] - u[0]) * k, u[1] + (v[1] - u[1]) * k];
}

export function rideOffset(layer: FootageLayer, files: Record<string, TrackFile | undefined>, shot: Shot, frame: number): Vec2 {
  const ride = layer.place.ride;
  const samples = ride && shot.tracks[ride.track]?.samples;
  if (!ride || !samples) return [0, 0];
  const here = trackedAt(files[samples], frame);
  const there = trackedAt(files[samples], ride.reference_frame);
  return here && there ? [here[0] - there[0], here[1] - there[1]] : [0, 0];
}
