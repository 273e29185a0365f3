/** Strokes of cut-outs: where they are drawn, and carrying them through the shot. */
import { api, got, queries } from "../api/client";
import { newCutout } from "../document/mattes";
import { footageFrame } from "../document/timing";
import type { CutoutPiece, CutoutStroke, Layer, Run, Shot, Vec2 } from "../document/types";
import { useBench } from "../state/bench";
import { layPiece } from "./shaping";
import { plateLayer } from "./tracking";
import { piecesOf } from "../document/layers";

/** The selected matte's chosen cut-out, or its only one. */
export function chosenCutout(): { matte: string; path: string; piece: CutoutPiece } | null {
  const { shot, selection, piece } = useBench.getState();
  const matte = selection.kind === "matte" ? shot?.mattes[selection.id] : undefined;
  const all = (matte ? piecesOf(matte) : []).flatMap((p) => (p.kind === "cutout" ? [p] : []));
  const found = all.find((p) => p.id === piece) ?? (all.length === 1 ? all[0] : undefined);
  return matte && found ? { matte: matte.id, path: `/mattes/${matte.id}/pieces/${found.id}`, piece: found } : null;
}

/** The frame of a layer's footage that shows at a frame of the shot. */
export const shownFrame = (shot: Shot, layerId: string, frame: number) =>
  footageFrame(shot, shot.layers[layerId] as Layer, frame);

/** Take the pen that keeps or removes in hand; where no cut-out is chosen one is started, of the plate if nothing else is said. */
export async function takePen(tool: "keep" | "remove", layer: Layer | null = plateLayer()): Promise<void> {
  const { tool: now, set } = useBench.getState();
  if (now === tool) return set({ tool: "move" });
  if (!chosenCutout() && layer)
    await layPiece(newCutout(layer.id), `start a cut-out of ${layer.name}`, `${layer.name}: cut-out`);
  if (chosenCutout()) set({ tool, drawn: [], drawer: null, view: "matte-tint" });
}

/** A finished line over the picture, in pixels of the footage. */
export async function addStroke(points: Vec2[], width: number, keep: boolean): Promise<void> {
  const { shot, frame, commit } = useBench.getState();
  const chosen = chosenCutout();
  if (!shot || !chosen) return;
  const round = (v: number) => Number(v.toFixed(1));
  const value: CutoutStroke = {
    frame: shownFrame(shot, chosen.piece.layer, frame),
    keep,
    width: round(width),
    points: thinned(points).map(([x, y]) => [round(x), round(y)]),
  };
  await commit(`${keep ? "keep" : "remove"} by a stroke in ${chosen.piece.name}`, [
    { op: "add", path: `${chosen.path}/strokes/-`, value },
  ]);
}

/** Points closer together than two pixels are left out. */
function thinned(points: Vec2[]): Vec2[] {
  const out = [points[0]];
  for (const p of points) if (Math.hypot(p[0] - out.at(-1)![0], p[1] - out.at(-1)![1]) >= 2) out.push(p);
  return out.slice(0, 2000);
}

/** Strokes for the people in this frame, added to those that are there. */
export async function guessPerson(matte: string, piece: CutoutPiece): Promise<void> {
  const { id, shot, frame, say, landed } = useBench.getState();
  try {
    await landed();
    await got<Run>(
      api.POST("/api/shots/{shot_id}/mattes/{matte_id}/pieces/{piece_id}/guess", {
        params: { path: { shot_id: id!, matte_id: matte, piece_id: piece.id } },
        body: { frame: shownFrame(shot!, piece.layer, frame) },
      }),
    );
    await queries.invalidateQueries({ queryKey: ["runs"] });
  } catch (error) {
    say((error as Error).message);
  }
}

export async function carryCutout(matte: string, piece: CutoutPiece): Promise<void> {
  const { id, say, landed } = useBench.getState();
  try {
    await landed();
    await got<Run>(
      api.POST("/api/shots/{shot_id}/mattes/{matte_id}/pieces/{piece_id}/carry", {
        params: { path: { shot_id: id!, matte_id: matte, piece_id: piece.id } },
      }),
    );
    await queries.invalidateQueries({ queryKey: ["runs"] });
  } catch (error) {
    say((error as Error).message);
  }
}
