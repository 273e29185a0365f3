/** Drawing shapes in the picture, changing their points, picking a screen's colour. */
import { api, got } from "../api/client";
import {
  addCut,
  addMatte,
  addPiece,
  everyOutline,
  newChroma,
  newCut,
  newFacePiece,
  newMatte,
  newRange,
  newShape,
  outlineAt,
  outlinePath,
  setOutline,
} from "../document/mattes";
import { setValue } from "../document/ops";
import { converted, ellipse, fromStroke, inserted, rectangle, rounded, smoothed, without } from "../document/outline";
import type { Op, Outline, Piece, RangePiece, ShapePiece, Track, TrackFile, Vec2 } from "../document/types";
import { isShapeTool, useBench } from "../state/bench";

const STROKE_TOLERANCE_PX = 1.6;
const [FACE_GROW, FACE_SOFTEN] = [0.2, 0.04]; // of the face's width: full well beyond the margin that is checked
const LEAST_SCREEN = 0.01; // linear: by how much a screen's colour must stand out

/** The selected matte's shape whose points are edited, and where it is. */
export function chosenShape(): { matte: string; piece: ShapePiece; path: string } | null {
  const { shot, selection, piece } = useBench.getState();
  if (!shot || selection.kind !== "matte") return null;
  const found = shot.mattes[selection.id].pieces[piece ?? ""];
  return found?.kind === "shape"
    ? { matte: selection.id, piece: found, path: outlinePath(selection.id, found.id) }
    : null;
}

/** Where what a layer is cut by stands. */
const cutsOf = (layerId: string) => `/layers/${layerId}/cuts`;

/** Put a piece into the selected matte; or, where something is to be cut by it (the pointer of its cuts), into a new one. */
export async function layPiece(
  piece: Piece,
  label: string,
  matteName?: string,
  cutFor = useBench.getState().cutFor,
): Promise<void> {
  const { shot, selection, commit, set } = useBench.getState();
  if (!shot) return;
  const chosen = selection.kind === "matte" && !cutFor ? shot.mattes[selection.id] : null;
  const into = chosen ?? newMatte(shot, [piece], matteName);
  const ops: Op[] = chosen ? addPiece(into.id, piece) : addMatte(into);
  if (cutFor) ops.push(addCut(cutFor, newCut(into.id)));
  const laid = commit(label, ops);
  set({
    tool: "move",
    drawn: [],
    cutFor: null,
    selection: { kind: "matte", id: into.id },
    piece: piece.id,
    points: [],
    keys: [],
  });
  await laid;
}

/** What has been drawn becomes a shape. */
export function finishShape(outline: Outline, closed: boolean): void {
  const { tool, shot, selection, cutFor } = useBench.getState();
  const what = isShapeTool(tool) && tool !== "outline" && tool !== "freehand" ? tool : "shape";
  const taken = selection.kind === "matte" && shot && !cutFor ? shot.mattes[selection.id].order.length : 0;
  const name = `${what[0].toUpperCase()}${what.slice(1)}${taken ? ` ${taken + 1}` : ""}`;
  void layPiece(newShape(name, rounded(outline), closed), `draw ${"aeiou".includes(what[0]) ? "an" : "a"} ${what}`);
}

export const boxed = (tool: "rectangle" | "ellipse", a: Vec2, b: Vec2) =>
  tool === "rectangle" ? rectangle(a, b) : ellipse(a, b);

export const byHand = (stroke: Vec2[], closed: boolean, scale: number) =>
  fromStroke(stroke, STROKE_TOLERANCE_PX / Math.min(scale, 1), closed);

export function removePoints(): void {
  const { shot, points, commit, set, say } = useBench.getState();
  const chosen = chosenShape();
  if (!shot || !chosen || !points.length) return;
  const left = chosen.piece.outline.value.points.length - points.length;
  if (left < (chosen.piece.closed ? 3 : 2)) {
    say(
      `An outline keeps at least ${chosen.piece.closed ? "three" : "two"} points; remove the whole piece in the sheet.`,
      "info",
    );
    return;
  }
  void commit(
    `remove ${points.length} points of ${chosen.piece.name}`,
    everyOutline(shot, chosen.path, (o) => without(o, points)),
  );
  set({ points: [] });
}

export function addPointAt(i: number, t: number): void {
  const { shot, commit, set } = useBench.getState();
  const chosen = chosenShape();
  if (!shot || !chosen) return;
  void commit(
    `add a point to ${chosen.piece.name}`,
    everyOutline(shot, chosen.path, (o) => rounded(inserted(o, i, t))),
  );
  set({ points: [i + 1] });
}

/** Round to sharp and back, for the chosen points or all of them. */
export function convertPoints(which: number[]): void {
  const { shot, commit, frame } = useBench.getState();
  const chosen = chosenShape();
  if (!shot || !chosen) return;
  const { closed } = chosen.piece;
  const before = outlineAt(chosen.piece, frame);
  const after = which.length ? which.reduce((o, i) => converted(o, i, closed), before) : smoothed(before, closed);
  void commit(
    `make points of ${chosen.piece.name} round or sharp`,
    setOutline(shot, chosen.path, frame, rounded(after)),
  );
}

/** Move the chosen points by the keyboard. */
export function nudge(by: Vec2): boolean {
  const { shot, points, frame, commit } = useBench.getState();
  const chosen = chosenShape();
  if (!shot || !chosen || !points.length) return false;
  const o = outlineAt(chosen.piece, frame);
  const next = {
    points: o.points.map((p, i) => (points.includes(i) ? { ...p, at: [p.at[0] + by[0], p.at[1] + by[1]] as Vec2 } : p)),
  };
  void commit(`move points of ${chosen.piece.name}`, setOutline(shot, chosen.path, frame, rounded(next)));
  return true;
}

/** A layer cut by the screen behind its own subject. */
export async function keyScreen(layerId: string): Promise<void> {
  const { shot } = useBench.getState();
  if (!shot) return;
  await layPiece(
    newChroma(layerId),
    `key the screen of ${shot.layers[layerId].name}`,
    `${shot.layers[layerId].name}: screen`,
    cutsOf(layerId),
  );
}

/** Something cut by what is bright, or has a colour, in a layer's own footage. */
export async function cutByRange(cutId: string, kind: RangePiece["kind"], of: string): Promise<void> {
  const { shot } = useBench.getState();
  if (!shot) return;
  await layPiece(
    newRange(kind, of),
    `cut ${shot.layers[cutId].name} by ${kind === "luma" ? "what is bright" : "a colour"}`,
    `${shot.layers[of].name}: ${kind === "luma" ? "bright" : "colour"}`,
    cutsOf(cutId),
  );
}

/** A layer cut by the oval of a tracked face, larger than it by a share of its own width, and soft. */
export async function cutByFace(layerId: string, track: Track): Promise<void> {
  const { shot } = useBench.getState();
  if (!shot) return;
  const file = track.samples
    ? await got<TrackFile>(api.GET("/api/artefacts/{name}/track", { params: { path: { name: track.samples } } })).catch(
        () => null,
      )
    : null;
  const widths = (file?.kind === "face" ? file.frames : []).flatMap((f) =>
    f.landmarks ? [Math.max(...f.landmarks.map((p) => p[0])) - Math.min(...f.landmarks.map((p) => p[0]))] : [],
  );
  const width = widths.length ? Math.max(...widths) : shot.size[0] / 5;
  const share = (k: number) => ({ value: Number((k * width).toFixed(1)), keys: [] });
  await layPiece(
    { ...newFacePiece(track.id), grow: share(FACE_GROW), soften: share(FACE_SOFTEN) },
    `cut ${shot.layers[layerId].name} by ${track.name}`,
    `${track.name}: oval`,
    cutsOf(layerId),
  );
}

/** Linear light and coverage at a place of the picture that is shown, looked at in some way. */
async function linearAt(
  [x, y]: Vec2,
  look: { around: number; of?: "source"; layer?: string; without?: string; effect?: string },
): Promise<number[]> {
  const { id, stored, frame } = useBench.getState();
  const query = { frame, x: Math.floor(x), y: Math.floor(y), revision: stored?.revision, ...look };
  const params = { path: { shot_id: id! }, query };
  return (await got<{ linear: number[] }>(api.GET("/api/shots/{shot_id}/pixel", { params }))).linear;
}

/** The colour under a click in a layer's own picture, as the screen of the chosen chroma key. */
export async function pickScreen(at: Vec2): Promise<void> {
  const { id, shot, selection, piece, commit, set, say } = useBench.getState();
  if (!id || !shot || selection.kind !== "matte") return;
  const found = shot.mattes[selection.id].pieces[piece ?? ""];
  if (found?.kind !== "chroma") return;
  const query = { of: "source" as const, layer: found.layer, around: 4 };
  try {
    const linear = await linearAt(at, query);
    const sorted = [...linear.slice(0, 3)].sort((a, b) => a - b);
    if (linear[3] < 0.5 || sorted[2] - sorted[1] < LEAST_SCREEN) {
      say(
        linear[3] < 0.5
          ? `Nothing of ${shot.layers[found.layer].name} lies there: click on its screen.`
          : "That place has hardly a colour of its own: click on the screen itself.",
        "info",
      );
      return;
    }
    await commit(`pick the screen of ${found.name}`, [
      {
        op: "replace",
        path: `/mattes/${selection.id}/pieces/${found.id}/screen`,
        value: linear.slice(0, 3).map((v) => Math.min(Math.max(v, 0), 64)),
      },
    ]);
  } catch (error) {
    say((error as Error).message);
  }
  set({ tool: "move" });
}

const OF_EFFECT = /^\/layers\/([^/]+)\/effects\/([^/]+)\//;

/** The colour under a click, as the value it was asked for; of an effect's own colour the picture is seen without that effect. */
export async function pickColour(at: Vec2): Promise<void> {
  const { id, shot, frame, pickFor, commit, set, say } = useBench.getState();
  if (!id || !shot || !pickFor) return;
  const [, without, effect] = pickFor.path.match(OF_EFFECT) ?? [];
  const query = { around: 2, ...(effect ? { without, effect } : {}) };
  try {
    const linear = await linearAt(at, query);
    const colour = linear.slice(0, 3).map((v) => Number(Math.min(Math.max(v, 0), 64).toFixed(4)));
    await commit(`pick ${pickFor.label}`, setValue(shot, pickFor.path, frame, colour));
  } catch (error) {
    say((error as Error).message);
  }
  set({ tool: "move", pickFor: null });
}
