/** Every action of the bench: its name, its keys, what it does. Palette, shortcuts help and key handling read this list. */
import { removeLayer, removeTrack } from "../document/ops";
import type { Key } from "../document/types";
import { at } from "../document/ops";
import { useBench, type MatteView, type Tool } from "../state/bench";
import { newId } from "../document/ops";
import { go } from "../route";
import { removeKeys } from "./Lanes";
import { removeMatte } from "../document/mattes";
import { removePoints } from "./shaping";
import { takePen } from "./cutouts";
import { startCamera, startPicture } from "./tracking";

export interface Action { name: string; keys?: string; group: string; run: () => void }

let copied: { path: string; key: Key }[] = [];
const s = () => useBench.getState();

function removeSelection(): void {
  const { shot, selection, commit, keys, points } = s();
  if (!shot) return;
  if (keys.length) removeKeys(keys);
  else if (selection.kind === "matte" && points.length) removePoints();
  else if (selection.kind === "matte") void commit(`remove the matte ${shot.mattes[selection.id].name}`, removeMatte(shot, selection.id));
  else if (selection.kind === "layer") void commit(`remove ${shot.layers[selection.id].name}`, removeLayer(shot, selection.id));
  else if (selection.kind === "track") void commit(`remove the track ${shot.tracks[selection.id].name}`, removeTrack(shot, selection.id));
}

function copyKeys(): void {
  const { shot, keys, say } = s();
  if (!shot || !keys.length) return;
  copied = keys.flatMap((r) => at(shot, r.path).keys.filter((k) => k.frame === r.frame).map((key) => ({ path: r.path, key })));
  say(`${copied.length} keys copied; paste them at another frame or with another layer selected.`, "info");
}

/** Pasting changes only the parameters that were copied; on another layer, those of the same name. */
function pasteKeys(): void {
  const { shot, frame, commit, selection, set } = s();
  if (!shot || !copied.length) return;
  const first = Math.min(...copied.map((c) => c.key.frame));
  const target = (path: string) => (selection.kind === "layer" ? path.replace(/^\/layers\/[^/]+/, `/layers/${selection.id}`) : path);
  const paths = [...new Set(copied.map((c) => c.path))].filter((p) => { try { return !!at(shot, target(p)); } catch { return false; } });
  const refs: { path: string; frame: number }[] = [];
  const ops = paths.map((p) => {
    const moved = copied.filter((c) => c.path === p).map((c) => ({ ...c.key, frame: c.key.frame - first + frame }));
    moved.forEach((k) => refs.push({ path: target(p), frame: k.frame }));
    const rest = at(shot, target(p)).keys.filter((k) => !moved.some((m) => m.frame === k.frame));
    return { op: "replace" as const, path: `${target(p)}/keys`, value: [...rest, ...moved].sort((a, b) => a.frame - b.frame) };
  });
  void commit(`paste ${refs.length} keys`, ops);
  set({ keys: refs });
}

function addVeil(): void {
  const { shot, commit, select } = s();
  if (!shot) return;
  const id = newId();
  const layer = { kind: "veil", id, name: "Veil", visible: true, span: null, blend: "normal", opacity: { value: 1, keys: [] }, cut: [], effects: [] };
  void commit("add a veil", [{ op: "add", path: `/layers/${id}`, value: layer }, { op: "add", path: "/stack/0", value: id }]);
  select({ kind: "layer", id });
}

function addCarrier(): void {
  const { shot, commit, select } = s();
  if (!shot) return;
  const id = newId();
  const constant = (value: unknown) => ({ value, keys: [] });
  const place = { position: constant(shot.size.map((v) => v / 2)), scale: constant([1, 1]), rotation: constant(0), pivot: constant([0, 0]), corners: null, depth: null, ride: null, hang: null, steady: null, motion_blur: false };
  const layer = { kind: "carrier", id, name: "Carrier", visible: true, span: null, opacity: constant(1), cut: [], effects: [], place };
  void commit("add a carrier", [{ op: "add", path: `/layers/${id}`, value: layer }, { op: "add", path: "/stack/0", value: id }]);
  select({ kind: "layer", id });
}

/** Take a tool in hand, or put it away. */
export const take = (tool: Tool) => s().set({ tool: s().tool === tool ? "move" : tool, drawn: [], drawer: null, cutFor: null });

function toggleScene(): void {
  const { shot, scene, set, say } = s();
  const solved = Object.values(shot?.tracks ?? {}).find((t) => t.kind === "camera" && t.samples);
  if (!scene && !solved) say("There is no solved camera yet: start one in the Tracks drawer.", "info");
  set({ scene: scene ? null : (solved?.id ?? null), tool: "move" });
}

const viewMatte = (view: MatteView) => {
  const { selection, say, set } = s();
  if (selection.kind !== "matte") say("Select a matte first: the views of a matte show the selected one.", "info");
  else set({ view: s().view === view ? "picture" : view });
};

const toggleVisible = () => {
  const { shot, selection, commit } = s();
  if (!shot || selection.kind !== "layer") return;
  const layer = shot.layers[selection.id];
  void commit(`${layer.visible ? "hide" : "show"} ${layer.name}`, [{ op: "replace", path: `/layers/${layer.id}/visible`, value: !layer.visible }]);
};

export const ACTIONS: Action[] = [
  { group: "Time", name: "Play or pause", keys: "Space", run: () => s().set({ playing: !s().playing }) },
  { group: "Time", name: "Step on", keys: "ArrowRight", run: () => s().seek(s().frame + 1) },
  { group: "Time", name: "Step back", keys: "ArrowLeft", run: () => s().seek(s().frame - 1) },
  { group: "Time", name: "Ten frames on", keys: "Shift+ArrowRight", run: () => s().seek(s().frame + 10) },
  { group: "Time", name: "Ten frames back", keys: "Shift+ArrowLeft", run: () => s().seek(s().frame - 10) },
  { group: "Time", name: "To the first frame of the trim", keys: "Home", run: () => s().seek(s().shot?.trim[0] ?? 0) },
  { group: "Time", name: "To the last frame of the trim", keys: "End", run: () => s().seek(s().shot?.trim[1] ?? 0) },
  { group: "Time", name: "Loop from here", keys: "I", run: () => s().set({ loop: [s().frame, Math.max(s().loop?.[1] ?? s().shot!.trim[1], s().frame)] }) },
  { group: "Time", name: "Loop up to here", keys: "O", run: () => s().set({ loop: [Math.min(s().loop?.[0] ?? s().shot!.trim[0], s().frame), s().frame] }) },
  { group: "Time", name: "Loop the whole trim", keys: "Shift+O", run: () => s().set({ loop: null }) },
  { group: "Picture", name: "Fit the picture", keys: "F", run: () => s().set({ zoom: "fit", pan: [0, 0] }) },
  { group: "Picture", name: "One to one", keys: "X", run: () => s().set({ zoom: 1, pan: [0, 0] }) },
  { group: "Picture", name: "View: picture", keys: "V", run: () => s().set({ view: "picture" }) },
  { group: "Picture", name: "View: alpha", keys: "A", run: () => s().set({ view: "alpha" }) },
  { group: "Picture", name: "View: red", keys: "Shift+R", run: () => s().set({ view: "red" }) },
  { group: "Picture", name: "View: green", keys: "Shift+G", run: () => s().set({ view: "green" }) },
  { group: "Picture", name: "View: blue", keys: "Shift+B", run: () => s().set({ view: "blue" }) },
  { group: "Picture", name: "View: luminance", keys: "Y", run: () => s().set({ view: "luminance" }) },
  { group: "Picture", name: "Wipe against the plate", keys: "W", run: () => s().set({ compare: s().compare === "wipe" ? "off" : "wipe" }) },
  { group: "Layers", name: "Hide or show the layer", keys: "H", run: toggleVisible },
  { group: "Layers", name: "Add a veil over everything", keys: "Shift+V", run: addVeil },
  { group: "Layers", name: "Add a carrier to hang layers from", keys: "Shift+C", run: addCarrier },
  { group: "Layers", name: "Remove what is selected", keys: "Delete", run: removeSelection },
  { group: "Layers", name: "Select the shot itself", run: () => s().select({ kind: "shot" }) },
  { group: "Keys", name: "Copy the selected keys", keys: "Ctrl+C", run: copyKeys },
  { group: "Keys", name: "Paste keys here", keys: "Ctrl+V", run: pasteKeys },
  { group: "Keys", name: "Lanes or curves", keys: "C", run: () => s().set({ lanesAs: s().lanesAs === "curves" ? "lanes" : "curves" }) },
  { group: "Tracks", name: "Track a point", keys: "T", run: () => take("point") },
  { group: "Tracks", name: "Track a plane", keys: "P", run: () => take("plane") },
  { group: "Tracks", name: "Track a thing in a box", keys: "Shift+T", run: () => take("object") },
  { group: "Tracks", name: "Track a face", keys: "Shift+P", run: () => take("face") },
  { group: "Tracks", name: "Solve the camera", run: () => void startCamera() },
  { group: "Tracks", name: "Track the whole picture", run: () => void startPicture() },
  { group: "Mattes", name: "Draw an outline", keys: "M", run: () => take("outline") },
  { group: "Mattes", name: "Draw a rectangle", keys: "Shift+M", run: () => take("rectangle") },
  { group: "Mattes", name: "Draw an ellipse", keys: "E", run: () => take("ellipse") },
  { group: "Mattes", name: "Draw a shape by hand", keys: "Shift+E", run: () => take("freehand") },
  { group: "Mattes", name: "Draw a stroke", keys: "B", run: () => take("stroke") },
  { group: "Mattes", name: "Cut out: keep by strokes", keys: "D", run: () => void takePen("keep") },
  { group: "Mattes", name: "Cut out: remove by strokes", keys: "Shift+D", run: () => void takePen("remove") },
  { group: "Mattes", name: "View: the matte", keys: "K", run: () => viewMatte("matte") },
  { group: "Mattes", name: "View: the matte as a tint", keys: "Shift+K", run: () => viewMatte("matte-tint") },
  { group: "Tracks", name: "The scene, or the picture", keys: "S", run: toggleScene },
  { group: "Kit", name: "Open the mattes", keys: "3", run: () => s().set({ drawer: s().drawer === "mattes" ? null : "mattes" }) },
  { group: "Kit", name: "Open the shelf", keys: "1", run: () => s().set({ drawer: s().drawer === "shelf" ? null : "shelf" }) },
  { group: "Kit", name: "Open the tracks", keys: "2", run: () => s().set({ drawer: s().drawer === "tracks" ? null : "tracks" }) },
  { group: "Shot", name: "Undo", keys: "Ctrl+Z", run: () => void s().undo() },
  { group: "Shot", name: "Redo", keys: "Ctrl+Shift+Z", run: () => void s().redo() },
  { group: "Shot", name: "Render", keys: "Ctrl+Enter", run: () => s().set({ dialog: "render" }) },
  { group: "Shot", name: "Export this shot as a file", run: () => { location.href = `/api/shots/${s().id}/bundle`; } },
  { group: "Shot", name: "All shots", run: () => go("/") },
  { group: "Shot", name: "All renders", run: () => go("/renders") },
  { group: "Help", name: "Find an action", keys: "Ctrl+K", run: () => s().set({ dialog: "palette" }) },
  { group: "Help", name: "Show the shortcuts", keys: "?", run: () => s().set({ dialog: "shortcuts" }) },
];

export function comboOf(e: KeyboardEvent): string {
  const name = e.key === " " ? "Space" : e.key === "Backspace" ? "Delete" : e.key.length === 1 ? e.key.toUpperCase() : e.key;
  const shift = e.shiftKey && name !== "?";
  return `${e.ctrlKey || e.metaKey ? "Ctrl+" : ""}${shift ? "Shift+" : ""}${name}`;
}
