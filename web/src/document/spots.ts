/** Sample spots: places in the picture whose values are kept in view. */
import { inverse, through, type Matrix } from "./geometry";
import { newId } from "./ops";
import type { Op, Ride, Shot, Vec2 } from "./types";

export interface Spot {
  id: string;
  name: string;
  at: Vec2;
  ride: Ride | null;
}

export const MOST_SPOTS = 8;
/** How far about a spot is taken in, to each side, in pixels. */
export const AROUND = 2;

/** In the order they were held, by their numbers: a stored map has no order. */
export const spotsOf = (shot: Shot | null): Spot[] =>
  Object.values((shot?.spots ?? {}) as Record<string, Spot>).sort((a, b) =>
    a.name.localeCompare(b.name, "en", { numeric: true }),
  );

/** Where one lies now; null where its ride hides it. */
export const spotAt = (spot: Spot, carried: Record<string, Matrix | null> | undefined): Vec2 | null => {
  if (!spot.ride) return spot.at;
  const matrix = carried?.[`spot:${spot.id}`];
  return matrix ? through(matrix, spot.at) : null;
};

/** The edit that holds one more. */
export function addSpot(shot: Shot, at: Vec2): Op[] {
  const numbers = spotsOf(shot).map((s) => Number(/^Spot (\d+)$/.exec(s.name)?.[1] ?? 0));
  const spot = { id: newId(), name: `Spot ${Math.max(0, ...numbers) + 1}`, at: rounded(at), ride: null };
  return [{ op: "add", path: `/spots/${spot.id}`, value: spot }];
}

/** The edit that brings one to a place of the picture at this frame. */
export function moveSpot(spot: Spot, to: Vec2, carried: Record<string, Matrix | null> | undefined): Op[] {
  const matrix = spot.ride ? carried?.[`spot:${spot.id}`] : null;
  return [{ op: "replace", path: `/spots/${spot.id}/at`, value: rounded(matrix ? through(inverse(matrix), to) : to) }];
}

const rounded = (at: Vec2) => at.map((v) => Number(v.toFixed(1))) as Vec2;
