/** Layers and what they show; stacks within stacks. */
import type { Effect, Layer, Matte, Meet, Piece, Shot } from "./types";

/** The footage a layer shows, where it shows some. */
export const footageOf = (layer: Layer | undefined | null): string | null =>
  layer?.content.kind === "footage" ? layer.content.footage : null;

/** Whether a layer lies somewhere: a veil does not. */
export const hasPlace = (layer: Layer | undefined | null): layer is Layer =>
  !!layer && layer.content.kind !== "beneath";

/** Whether a layer has a picture of its own: veils and carriers have none. */
export const hasPicture = (layer: Layer | undefined | null): layer is Layer =>
  hasPlace(layer) && layer.content.kind !== "nothing";

export const isVeil = (layer: Layer | undefined | null): boolean => layer?.content.kind === "beneath";
export const isCarrier = (layer: Layer | undefined | null): boolean => layer?.content.kind === "nothing";

/** Width and height of a layer's own picture; the shot's where it has no pixels of its own. */
export function sizeOf(shot: Shot, layer: Layer): [number, number] {
  if (layer.content.kind === "footage") return shot.footage[layer.content.footage].size as [number, number];
  if (layer.content.kind === "twin") return sizeOf(shot, shot.layers[layer.content.layer]);
  return shot.size;
}

/** Effects, meets and pieces in their order. */
export const looksOf = (layer: Layer): Effect[] => layer.chain.map((id) => layer.effects[id]);
export const meetingsOf = (layer: Layer): Meet[] => layer.meeting.map((id) => layer.meets[id]);
export const piecesOf = (matte: Matte): Piece[] => matte.order.map((id) => matte.pieces[id]);

/** The layers within a group, nearest the lens first. */
export const stackOf = (layer: Layer | undefined): string[] =>
  layer?.content.kind === "group" ? layer.content.stack : [];

/** The group a layer is in, null on the shot's own stack. */
export const groupOf = (shot: Shot, id: string): string | null =>
  Object.values(shot.layers).find((l) => stackOf(l).includes(id))?.id ?? null;

/** Where the stack stands that a layer is in: a pointer, and what is in it. */
export function stackAround(shot: Shot, group: string | null): { path: string; stack: string[] } {
  return group
    ? { path: `/layers/${group}/content/stack`, stack: stackOf(shot.layers[group]) }
    : { path: "/stack", stack: shot.stack };
}

/** Every layer that is selected, as they stand in the stacks. */
export const selectedLayers = (shot: Shot, selection: { kind: string; id?: string }, also: string[]): string[] => {
  const chosen = selection.kind === "layer" ? [selection.id!, ...also] : [];
  const walk = (stack: string[]): string[] => stack.flatMap((id) => [id, ...walk(stackOf(shot.layers[id]))]);
  return walk(shot.stack).filter((id) => chosen.includes(id));
};

/** The groups around a layer, the outermost first. */
export function groupsAround(shot: Shot, id: string): string[] {
  const above = groupOf(shot, id);
  return above ? [...groupsAround(shot, above), above] : [];
}
