/** What can be dragged: shelf items, tracks, panes; and what a drop does. */
import { queries } from "../api/client";
import { addCut, freeOf, newCut } from "../document/mattes";
import { insertLayer, newLayer, rideOn } from "../document/ops";
import type { ShelfItem, Vec2 } from "../document/types";
import { useBench } from "../state/bench";
import { isCarrier, isVeil } from "../document/layers";

export type Dragged = { kind: "shelf" | "track" | "matte" | "pane"; id: string };
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
  const { shot, frame, commit, select, say } = useBench.getState();
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
  const layer = newLayer(shot, item.footage as never, frame);
  if (at) layer.place.position.value = at.map((v) => Number(v.toFixed(1))) as Vec2;
  const laidIn = commit(`lay in ${item.name}`, insertLayer(shot, layer, index, item.footage as never, group));
  select({ kind: "layer", id: layer.id });
  await laidIn;
}

export async function rideLayer(layerId: string, trackId: string | null): Promise<void> {
  const { shot, frame, commit, say } = useBench.getState();
  const layer = shot?.layers[layerId];
  if (!shot || !layer || isVeil(layer)) return;
  if (layer.id === shot.plate) {
    say("The plate cannot ride on a track that was made from it.");
    return;
  }
  const track = trackId ? shot.tracks[trackId] : null;
  await commit(track ? `let ${layer.name} ride on ${track.name}` : `untie ${layer.name}`, rideOn(layer, track, frame));
}

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
