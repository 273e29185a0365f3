/** What can be dragged: shelf items, tracks, panes; and what a drop does. */
import { queries } from "../api/client";
import { addCut, freeOf, newCut } from "../document/mattes";
import type { ShelfItem, Vec2 } from "../document/types";
import { useBench } from "../state/bench";
import { isCarrier, isVeil } from "../document/layers";

export type Dragged =
  { kind: "shelf" | "track" | "matte" | "pane"; id: string } | { kind: "make"; id: string; start: string };
const TYPE = "application/x-tropein";

export function startDrag(e: React.DragEvent, dragged: Dragged): void {
  e.dataTransfer.setData(TYPE, JSON.stringify(dragged));
  e.dataTransfer.effectAllowed = "copyMove";
}

export function readDrop(e: React.DragEvent): Dragged | null {
  const text = e.dataTransfer.getData(TYPE);
  return text ? (JSON.parse(text) as Dragged) : null;
}

/** Lay a shelf item into the stack at an index, where it was dropped or in the middle; it becomes the selection. */
export async function insertFootage(
  itemId: string,
  index: number,
  at?: Vec2,
  group: string | null = null,
): Promise<void> {
  const { shot, frame, give, say } = useBench.getState();
  const item = queries.getQueryData<ShelfItem[]>(["shelf"])?.find((i) => i.id === itemId);
  if (!shot || !item) return;
  if (item.kind === "sound") {
    say("Sound cannot be laid in yet: a render takes the plate's own sound along.");
    return;
  }
  if (!item.footage) {
    say(item.problem);
    return;
  }
  const place = at && at.map((v) => Number(v.toFixed(1)));
  await give("lay-in", { footage: item.footage, frame, at: place, group, index: Math.max(0, index) });
}

/** Tie what is at an address to a track at the present frame, so that nothing jumps here; or untie it. */
export const rideAt = (path: string, track: string | null, whole = true): Promise<void> => {
  const { frame, give } = useBench.getState();
  return give("ride", { at: path, track, frame, whole });
};

export async function rideLayer(layerId: string, trackId: string | null): Promise<void> {
  const layer = useBench.getState().shot?.layers[layerId];
  if (layer && !isVeil(layer)) await rideAt(`/layers/${layerId}/place/ride`, trackId);
}

/** Put a picture's corners onto those of a tracked plane, and let it ride on it. */
export const fitToPlane = (layer: string, track: string) => useBench.getState().give("fit-to-plane", { layer, track });

/** Cut a layer by a matte; one that already cuts it is let go. */
export async function cutLayer(layerId: string, matteId: string): Promise<void> {
  const { shot, commit } = useBench.getState();
  const layer = shot?.layers[layerId];
  if (!shot || !layer || isCarrier(layer)) return;
  const name = shot.mattes[matteId].name;
  const path = `/layers/${layerId}/cuts`;
  const freed = freeOf(path, layer.cuts, matteId);
  const free = freed.length > 0;
  await commit(
    free ? `let ${name} not cut ${layer.name}` : `cut ${layer.name} by ${name}`,
    free ? freed : [addCut(path, newCut(matteId))],
  );
}
