/** Every action of the bench: its name, its keys, what it does. Palette, shortcuts help and key handling read this list. */
import { holdStill } from "../picture/StillBeside";
import { groupOf, selectedLayers, stackOf } from "../document/layers";
import { at } from "../document/ops";
import type { Key, About, Vec2 } from "../document/types";
import { useBench, type MatteView, type Tool } from "../state/bench";
import { go } from "../route";
import { useLayout } from "../state/layout";
import { addCue } from "../time/Cues";
import { removeKeys } from "../time/Lanes";
import { removePoints } from "./shaping";
import { takePen } from "./cutouts";
import { startCamera, startPicture } from "./tracking";

export interface Action {
  name: string;
  keys?: string;
  group: string;
  run: () => void;
}

let copied: { path: string; key: Key }[] = [];
const s = () => useBench.getState();

function removeSelection(): void {
  const { shot, selection, give, keys, points } = s();
  if (!shot) return;
  if (keys.length) removeKeys(keys);
  else if (selection.kind === "matte" && points.length) removePoints();
  else if (selection.kind === "matte") void give("remove-mattes", { mattes: [selection.id] });
  else if (selection.kind === "layer") void give("remove-layers", { layers: chosen() });
  else if (selection.kind === "track") void give("remove-tracks", { tracks: [selection.id] });
}

function copyKeys(): void {
  const { shot, keys, say } = s();
  if (!shot || !keys.length) return;
  copied = keys.flatMap((r) =>
    at(shot, r.path)
      .keys.filter((k) => k.frame === r.frame)
      .map((key) => ({ path: r.path, key })),
  );
  say(`${copied.length} keys copied; paste them at another frame or with another layer selected.`, "info");
}

/** Pasting changes only the parameters that were copied; on another layer, those of the same name. */
function pasteKeys(): void {
  const { frame, selection, give } = s();
  const keys = copied.map((c) => ({ at: c.path, key: c.key }));
  void give("paste-keys", { keys, frame, layer: selection.kind === "layer" ? selection.id : null });
}

/** The selected layers, as they stand. */
const chosen = (): string[] => {
  const { shot, selection, also } = s();
  return shot ? selectedLayers(shot, selection, also) : [];
};

/** Lay in a layer that shows what a kind of content makes by itself, nearest the lens in the stack that is looked at. */
export const addLayer = (
  kind: string,
  start = "",
  more: { point?: Vec2; group?: string | null; index?: number } = {},
): void => void s().give("add-layer", { content: { kind }, start, group: s().inside, ...more });

/** What the selection says of a command's arguments; null where it asks for something else. */
function argumentsFor(asked: Record<string, unknown>): Record<string, unknown> | null {
  const { selection, frame, inside } = s();
  const of = (kind: string) => (selection.kind === kind && "id" in selection ? selection.id : null);
  const layers = chosen();
  const known: Record<string, unknown> = {
    layers: layers.length ? layers : null,
    layer: of("layer"),
    tracks: of("track") && [of("track")],
    track: of("track"),
    mattes: of("matte") && [of("matte")],
    matte: of("matte"),
    frame,
    group: inside,
  };
  const filled: Record<string, unknown> = {};
  for (const [name, about] of Object.entries(asked)) {
    if (known[name] != null) filled[name] = known[name];
    else if (!("default" in (about as object))) return null;
  }
  return filled;
}

/** Contents that are made from their parameters alone. */
export function madeHere(about: About | undefined) {
  const plain = new Set(["beneath", "nothing", "group"]);
  return (about?.contents ?? []).filter((c) => c.alone && !plain.has(c.kind));
}

/** Actions for kinds of commands and contents that have none of their own here. */
export function actionsOf(about: About | undefined): Action[] {
  const own = new Set([
    "group",
    "ungroup",
    "duplicate",
    "twin",
    "move",
    "add-layer",
    "remove-layers",
    "remove-tracks",
    "remove-mattes",
    "lay-in",
    "ride",
    "paste-keys",
    "copy-setup",
    "set-world",
  ]);
  const made = madeHere(about);
  const given = (about?.commands ?? []).filter((c) => !own.has(c.name));
  return [
    ...made.flatMap((c) =>
      (c.starts.length ? c.starts : [""]).map((start) => ({
        group: "Layers",
        name: `Add: ${(start || c.title).toLowerCase()}`,
        run: () => addLayer(c.kind, start),
      })),
    ),
    ...given.map((c) => ({
      group: "Commands",
      name: c.title,
      run: () => {
        const filled = argumentsFor(c.arguments);
        if (filled) void s().give(c.name, filled);
        else s().say(`Select what "${c.title}" is meant for first.`, "info");
      },
    })),
  ];
}

/** Those of them that can be moved and copied: all but the plate. */
const movable = (): string[] => chosen().filter((id) => id !== s().shot?.plate);

function duplicate(layers: string[]): void {
  if (!layers.length) s().say("Select layers first: with Shift or Ctrl more than one.", "info");
  else void s().give("duplicate", { layers });
}

async function group(): Promise<void> {
  const layers = movable();
  if (!layers.length)
    return s().say("Select the layers that are to stand in one group: with Shift or Ctrl more than one.", "info");
  await s().give("group", { layers });
  const { selection, unfolded, set } = s();
  if (selection.kind === "layer") set({ unfolded: [...unfolded, selection.id] });
}

function ungroup(): void {
  const { shot, selection, say, give } = s();
  const layer = selection.kind === "layer" ? shot?.layers[selection.id] : undefined;
  if (layer?.content.kind !== "group") say("Select a group first.", "info");
  else void give("ungroup", { group: layer.id });
}

function twin(): void {
  const { selection, frame, give, say } = s();
  if (selection.kind !== "layer") say("Select the layer that is to have a twin.", "info");
  else void give("twin", { layer: selection.id, frame });
}

/** Go into the selected group: the row of panes shows its own stack. */
export function goInto(id: string | null): void {
  const { shot, set, select } = s();
  set({ inside: id });
  const top = id && shot ? stackOf(shot.layers[id])[0] : null;
  if (top) select({ kind: "layer", id: top });
}

function intoSelected(): void {
  const { shot, selection, say } = s();
  const layer = selection.kind === "layer" ? shot?.layers[selection.id] : undefined;
  if (layer?.content.kind === "group") goInto(layer.id);
  else say("Select a group to go into.", "info");
}

function outOfGroup(): void {
  const { shot, inside, set, select } = s();
  if (!shot || !inside) return;
  set({ inside: groupOf(shot, inside) });
  select({ kind: "layer", id: inside });
}

let layersCopied: string[] = [];

/** Keys where keys are selected, else layers. */
function copy(): void {
  if (s().keys.length) return copyKeys();
  layersCopied = movable();
  copied = [];
  if (!layersCopied.length) return;
  const what = layersCopied.length === 1 ? s().shot!.layers[layersCopied[0]].name : `${layersCopied.length} layers`;
  s().say(`${what} copied; paste puts copies beside them.`, "info");
}

function paste(): void {
  if (copied.length) return pasteKeys();
  const there = layersCopied.filter((id) => s().shot?.layers[id]);
  if (there.length) duplicate(there);
}

let setUpOf: string | null = null;

function copySetup(): void {
  const { shot, selection, say } = s();
  if (!shot || selection.kind !== "layer") return say("Select the layer whose set-up is meant.", "info");
  setUpOf = selection.id;
  say(`The set-up of ${shot.layers[setUpOf].name} is copied; give it to other layers.`, "info");
}

function giveSetup(): void {
  const { shot, say, give } = s();
  if (!setUpOf || !shot?.layers[setUpOf]) say("Copy the set-up of a layer first.", "info");
  else void give("copy-setup", { layer: setUpOf, to: chosen() });
}

/** Take a tool in hand, or put it away. */
export const take = (tool: Tool) =>
  s().set({ tool: s().tool === tool ? "move" : tool, drawn: [], drawer: null, cutFor: null });

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
  const { shot, commit } = s();
  const layers = chosen();
  if (!shot || !layers.length) return;
  const visible = !layers.some((id) => shot.layers[id].visible);
  const what = layers.length === 1 ? shot.layers[layers[0]].name : `${layers.length} layers`;
  void commit(
    `${visible ? "show" : "hide"} ${what}`,
    layers.map((id) => ({ op: "replace", path: `/layers/${id}/visible`, value: visible })),
  );
};

export const ACTIONS: Action[] = [
  { group: "Time", name: "Play or pause", keys: "Space", run: () => s().set({ playing: !s().playing }) },
  { group: "Time", name: "Step on", keys: "ArrowRight", run: () => s().seek(s().frame + 1) },
  { group: "Time", name: "Step back", keys: "ArrowLeft", run: () => s().seek(s().frame - 1) },
  { group: "Time", name: "Ten frames on", keys: "Shift+ArrowRight", run: () => s().seek(s().frame + 10) },
  { group: "Time", name: "Ten frames back", keys: "Shift+ArrowLeft", run: () => s().seek(s().frame - 10) },
  { group: "Time", name: "To the first frame of the trim", keys: "Home", run: () => s().seek(s().shot?.trim[0] ?? 0) },
  { group: "Time", name: "To the last frame of the trim", keys: "End", run: () => s().seek(s().shot?.trim[1] ?? 0) },
  {
    group: "Time",
    name: "Loop from here",
    keys: "I",
    run: () => s().set({ loop: [s().frame, Math.max(s().loop?.[1] ?? s().shot!.trim[1], s().frame)] }),
  },
  {
    group: "Time",
    name: "Loop up to here",
    keys: "O",
    run: () => s().set({ loop: [Math.min(s().loop?.[0] ?? s().shot!.trim[0], s().frame), s().frame] }),
  },
  { group: "Time", name: "Loop the whole trim", keys: "Shift+O", run: () => s().set({ loop: null }) },
  { group: "Time", name: "Name this moment (a cue)", keys: "N", run: addCue },
  { group: "Picture", name: "Fit the picture", keys: "F", run: () => s().set({ zoom: "fit", pan: [0, 0] }) },
  { group: "Picture", name: "One to one", keys: "X", run: () => s().set({ zoom: 1, pan: [0, 0] }) },
  { group: "Picture", name: "Only the picture", keys: "Q", run: () => useLayout.getState().toggle("picture") },
  {
    group: "Picture",
    name: "The picture with the film strip",
    keys: "Shift+Q",
    run: () => useLayout.getState().toggle("strip"),
  },
  { group: "Picture", name: "View: picture", keys: "V", run: () => s().set({ view: "picture" }) },
  { group: "Picture", name: "View: alpha", keys: "A", run: () => s().set({ view: "alpha" }) },
  { group: "Picture", name: "View: red", keys: "Shift+R", run: () => s().set({ view: "red" }) },
  { group: "Picture", name: "View: green", keys: "Shift+G", run: () => s().set({ view: "green" }) },
  { group: "Picture", name: "View: blue", keys: "Shift+B", run: () => s().set({ view: "blue" }) },
  { group: "Picture", name: "View: luminance", keys: "Y", run: () => s().set({ view: "luminance" }) },
  { group: "Picture", name: "View: what is clipped", keys: "Shift+L", run: () => s().set({ view: "clipped" }) },
  {
    group: "Picture",
    name: "Wipe against the plate",
    keys: "W",
    run: () => s().set({ compare: s().compare === "wipe" ? "off" : "wipe" }),
  },
  {
    group: "Picture",
    name: "Hold a spot, its values in view",
    keys: "Shift+U",
    run: () => s().set({ lanesAs: "scopes", tool: "spot" }),
  },
  { group: "Picture", name: "Hold this frame beside the picture", keys: "Shift+J", run: holdStill },
  { group: "Layers", name: "Hide or show the layer", keys: "H", run: toggleVisible },
  { group: "Layers", name: "Add a veil over everything", keys: "Shift+V", run: () => addLayer("beneath") },
  { group: "Layers", name: "Add a carrier to hang layers from", keys: "Shift+C", run: () => addLayer("nothing") },
  { group: "Layers", name: "Group the selected layers", keys: "Ctrl+G", run: () => void group() },
  { group: "Layers", name: "Take the group apart", keys: "Ctrl+Shift+G", run: ungroup },
  { group: "Layers", name: "Go into the group", keys: "G", run: intoSelected },
  { group: "Layers", name: "Out of the group", keys: "U", run: outOfGroup },
  { group: "Layers", name: "Duplicate", keys: "Ctrl+D", run: () => duplicate(movable()) },
  { group: "Layers", name: "Make a twin of the layer", keys: "Shift+W", run: twin },
  { group: "Layers", name: "Remove what is selected", keys: "Delete", run: removeSelection },
  { group: "Layers", name: "Select the shot itself", run: () => s().select({ kind: "shot" }) },
  { group: "Keys", name: "Copy the selected keys, or layers", keys: "Ctrl+C", run: copy },
  { group: "Keys", name: "Paste keys here, or layers", keys: "Ctrl+V", run: paste },
  { group: "Layers", name: "Copy the layer's set-up (effects, mattes, blend)", keys: "Ctrl+Shift+C", run: copySetup },
  { group: "Layers", name: "Give that set-up to the selected layers", keys: "Ctrl+Shift+V", run: giveSetup },
  {
    group: "Keys",
    name: "Lanes or curves",
    keys: "C",
    run: () => s().set({ lanesAs: s().lanesAs === "curves" ? "lanes" : "curves" }),
  },
  {
    group: "Picture",
    name: "Scopes, or lanes",
    keys: "Shift+Y",
    run: () => s().set({ lanesAs: s().lanesAs === "scopes" ? "lanes" : "scopes" }),
  },
  {
    group: "Picture",
    name: "Sit check, or lanes",
    keys: "Shift+I",
    run: () => s().set({ lanesAs: s().lanesAs === "sit" ? "lanes" : "sit" }),
  },
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
  {
    group: "Kit",
    name: "Open the mattes",
    keys: "3",
    run: () => s().set({ drawer: s().drawer === "mattes" ? null : "mattes" }),
  },
  {
    group: "Kit",
    name: "Open the shelf",
    keys: "1",
    run: () => s().set({ drawer: s().drawer === "shelf" ? null : "shelf" }),
  },
  {
    group: "Kit",
    name: "Open the tracks",
    keys: "2",
    run: () => s().set({ drawer: s().drawer === "tracks" ? null : "tracks" }),
  },
  {
    group: "Kit",
    name: "Open what can be made",
    keys: "4",
    run: () => s().set({ drawer: s().drawer === "make" ? null : "make" }),
  },
  { group: "Shot", name: "Undo", keys: "Ctrl+Z", run: () => void s().undo() },
  { group: "Shot", name: "Redo", keys: "Ctrl+Shift+Z", run: () => void s().redo() },
  { group: "Shot", name: "What was done", keys: "Shift+H", run: () => s().set({ dialog: "history" }) },
  { group: "Shot", name: "Render", keys: "Ctrl+Enter", run: () => s().set({ dialog: "render" }) },
  {
    group: "Shot",
    name: "Export this shot as a file",
    run: () => {
      location.href = `/api/shots/${s().id}/bundle`;
    },
  },
  { group: "Shot", name: "All shots", run: () => go("/") },
  { group: "Shot", name: "All renders", run: () => go("/renders") },
  { group: "Help", name: "Find an action", keys: "Ctrl+K", run: () => s().set({ dialog: "palette" }) },
  { group: "Help", name: "Show the shortcuts", keys: "?", run: () => s().set({ dialog: "shortcuts" }) },
];

export function comboOf(e: KeyboardEvent): string {
  const name =
    e.key === " " ? "Space" : e.key === "Backspace" ? "Delete" : e.key.length === 1 ? e.key.toUpperCase() : e.key;
  const shift = e.shiftKey && name !== "?";
  return `${e.ctrlKey || e.metaKey ? "Ctrl+" : ""}${shift ? "Shift+" : ""}${name}`;
}
