import { useCarried } from "../api/client";
import { IDENTITY, own, type Matrix } from "../document/geometry";
import { usePick } from "../state/bench";
import { hasPicture, sizeOf } from "../document/layers";

/** From the plate's own pixels, in which tracks are counted, to the shot's: not the same once it is reframed or held still. */
export function usePlateMatrix(): Matrix {
  const { shot, stored, frame } = usePick("shot", "stored", "frame");
  const plate = shot?.plate ? shot.layers[shot.plate] : undefined;
  const footage = hasPicture(plate) ? plate : undefined;
  const mine = shot && footage ? own(footage.place, sizeOf(shot, footage), frame) : IDENTITY;
  const moved =
    footage !== undefined &&
    (footage.place.steady !== null ||
      footage.place.corners !== null ||
      mine.some((v, i) => Math.abs(v - IDENTITY[i]) > 1e-9));
  const found = useCarried(moved ? (stored?.id ?? null) : null, stored?.revision ?? 0, frame)?.[":plate"];
  return moved ? (found ?? mine) : IDENTITY;
}
