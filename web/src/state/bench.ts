/** The open shot and how it is looked at. The document lives here and nowhere else. */
import { create } from "zustand";
import { useShallow } from "zustand/react/shallow";
import { api, ApiError, getShot, got, untilAnswered } from "../api/client";
import { patched } from "../document/patch";
import type { Op, Shot, ShotState, Steps, Vec2 } from "../document/types";

export const CLIENT = crypto.randomUUID().slice(0, 12);
export type Selection = { kind: "layer" | "track" | "matte"; id: string } | { kind: "shot" };
export type View = "picture" | "alpha" | "red" | "green" | "blue" | "luminance" | MatteView;
/** Views that need a matte to be selected. */
export type MatteView = "matte" | "matte-soft" | "matte-faults" | "matte-tint" | "on-checker" | "on-black" | "on-grey" | "on-white";
export const isMatteView = (view: View): view is MatteView => view.startsWith("matte") || view.startsWith("on-");
/** What a click in the picture does: handles; a new track, or one more point of one; a new shape; the colour of a screen. */
export type ShapeTool = "outline" | "rectangle" | "ellipse" | "freehand" | "stroke";
export type Tool = "move" | "point" | "plane" | "object" | "face" | "more" | ShapeTool | "screen" | "keep" | "remove";
export const SHAPE_TOOLS: readonly ShapeTool[] = ["outline", "rectangle", "ellipse", "freehand", "stroke"];
export const isShapeTool = (tool: Tool): tool is ShapeTool => (SHAPE_TOOLS as readonly Tool[]).includes(tool);
export type Drawer = "shelf" | "tracks" | "mattes" | null;
interface Done { shot: Steps; select: string[]; note: string }
export interface KeyRef { path: string; frame: number }

interface Bench {
  id: string | null;
  stored: ShotState | null;
  /** The document as shown: the stored one, the edits on their way, and the transient one of a drag. */
  shot: Shot | null;
  /** The same without what is being dragged: what a drag starts from. */
  base: Shot | null;
  pending: Op[][];
  dragged: Op[];
  /** What the shown document has over the stored one. */
  overlay: Op[];
  frame: number;
  playing: boolean;
  loop: [number, number] | null;
  selection: Selection;
  /** Layers that are selected beside that one. */
  also: string[];
  /** The group whose own stack is looked at, null for the shot's. */
  inside: string | null;
  /** The cue whose name is being typed. */
  naming: string | null;
  /** Groups whose layers are shown in the row of panes. */
  unfolded: string[];
  keys: KeyRef[];
  lanesAs: "lanes" | "curves";
  view: View;
  compare: "off" | "wipe";
  wipe: number;
  peek: boolean;
  zoom: number | "fit";
  pan: [number, number];
  tool: Tool;
  /** How wide the pen of a cut-out is, in shot pixels. */
  brush: number;
  /** Corners clicked so far. */
  drawn: Vec2[];
  /** The piece of the selected matte, and the points of its outline, that are chosen. */
  piece: string | null;
  points: number[];
  /** What the next shape is for, when it was asked for from there: a layer to cut. */
  /** Pointer of the list of cuts that what is drawn will stand in. */
  cutFor: string | null;
  /** The solved scene of a camera track, shown in place of the picture. */
  scene: string | null;
  drawer: Drawer;
  dialog: "none" | "palette" | "shortcuts" | "render";
  message: { text: string; kind: "error" | "info" } | null;
  conflict: string | null;
  open: (id: string) => Promise<void>;
  set: (part: Partial<Bench>) => void;
  seek: (frame: number) => void;
  select: (selection: Selection) => void;
  /** Take a layer into the selection, or out of it. */
  selectAlso: (id: string) => void;
  selectLayers: (ids: string[]) => void;
  draft: (ops: Op[]) => void;
  commit: (label: string, ops: Op[]) => Promise<void>;
  /** Give the shot a command (see /about): one edit, made by the server; what it says is to be selected is. */
  give: (command: string, args: Record<string, unknown>) => Promise<void>;
  /** Resolved once the server has all edits made so far: what it is asked for then is about what is seen. */
  landed: () => Promise<void>;
  undo: () => Promise<void>;
  redo: () => Promise<void>;
  /** The newer state, and what was changed here given up. */
  takeOver: () => Promise<void>;
  /** The newer state, and what is being changed here kept. */
  catchUp: () => Promise<void>;
  say: (text: string, kind?: "error" | "info") => void;
}

/** Whether a group in the row of panes is shown open, as a tray. */
export const showsTrays = ({ shot, unfolded, inside }: Bench): boolean => unfolded.some((id) => shot?.layers[id] !== undefined && id !== inside);

let queue: Promise<unknown> = Promise.resolve();

export const useBench = create<Bench>((set, get) => {
  /** The shown document made anew; edits that no longer fit the stored one are left out. */
  const shown = (part: Partial<Pick<Bench, "stored" | "pending" | "dragged">>): Partial<Bench> => {
    const { stored, pending, dragged } = { ...get(), ...part };
    const overlay = [...pending.flat(), ...dragged];
    if (!stored) return { ...part, overlay };
    try {
      const base = "stored" in part || "pending" in part || !get().base ? patched(stored.document, pending.flat()) : get().base!;
      return { ...part, overlay, base, shot: patched(base, dragged) };
    } catch {
      return { ...part, pending: [], dragged: [], overlay: [], base: stored.document, shot: stored.document };
    }
  };
  /** What is not in the shown document any more is not selected either. */
  const letGo = () => {
    const { shot, selection, frame } = get();
    if (!shot) return;
    const { also, inside, unfolded } = get();
    const stays = (id: string) => shot.layers[id] !== undefined;
    set({ also: also.filter(stays), unfolded: unfolded.filter(stays), inside: inside && stays(inside) ? inside : null });
    const gone = (selection.kind === "layer" && !shot.layers[selection.id]) || (selection.kind === "track" && !shot.tracks[selection.id]) || (selection.kind === "matte" && !shot.mattes[selection.id]);
    set({ ...(gone ? { points: [], selection: { kind: "shot" } } : {}), frame: Math.min(frame, shot.frames - 1) });
  };
  const received = (state: ShotState) => {
    set(shown({ stored: state }));
    letGo();
  };
  /** The state after some steps; asked for as a whole where they do not set out from the one that is here. */
  const walked = async (steps: Steps): Promise<ShotState> => {
    const { stored } = get();
    if (!stored || stored.id !== steps.id || stored.revision !== steps.base) return untilAnswered(() => getShot(steps.id));
    const { id, name, revision, undo, redo, patch } = steps;
    return { id, name, revision, undo, redo, document: patched(stored.document, patch as unknown as Op[]) };
  };
  const failed = (error: unknown) => {
    const problem = error instanceof ApiError ? error : new ApiError(String(error), "error");
    set(shown({ pending: [], dragged: [] }));
    letGo();
    if (problem.code === "conflict") set({ conflict: problem.message });
    else get().say(problem.message);
  };
  /** Edits go one after another, each on the revision the one before made. */
  const inOrder = (work: () => Promise<ShotState>) => {
    const result = queue.then(work).then(received, failed);
    queue = result;
    return result;
  };
  const again = (what: "undo" | "redo") =>
    inOrder(() => {
      const id = get().id!;
      const body = { body: { client: CLIENT, base: get().stored!.revision }, params: { path: { shot_id: id } } };
      return got<Steps>(what === "undo" ? api.POST("/api/shots/{shot_id}/undo", body) : api.POST("/api/shots/{shot_id}/redo", body)).then(walked);
    });
  return {
    id: null, stored: null, shot: null, base: null, pending: [], dragged: [], overlay: [], frame: 0, playing: false, loop: null, selection: { kind: "shot" }, also: [], inside: null, naming: null, unfolded: [], keys: [], lanesAs: "lanes",
    view: "picture", compare: "off", wipe: 0.5, peek: false, zoom: "fit", pan: [0, 0], brush: 16, tool: "move", drawn: [], piece: null, points: [], cutFor: null, scene: null, drawer: null, dialog: "none",
    message: null, conflict: null,
    open: async (id) => {
      set({ id, stored: null, shot: null, base: null, pending: [], dragged: [], overlay: [], playing: false, selection: { kind: "shot" }, also: [], inside: null, naming: null, unfolded: [], keys: [], zoom: "fit", pan: [0, 0], loop: null, conflict: null, drawer: null, view: "picture", compare: "off", tool: "move", drawn: [], piece: null, points: [], cutFor: null, scene: null });
      try {
        const state = await getShot(id);
        if (get().id !== id) return;
        set({ frame: state.document.trim[0] });
        received(state);
        const top = state.document.stack[0];
        if (top) set({ selection: { kind: "layer", id: top } });
      } catch (error) {
        failed(error);
      }
    },
    set,
    seek: (frame) => {
      const shot = get().shot;
      if (shot) set({ frame: Math.min(Math.max(Math.round(frame), 0), shot.frames - 1) });
    },
    select: (selection) => {
      const { view, piece, shot } = get();
      const matte = selection.kind === "matte" ? shot?.mattes[selection.id] : undefined;
      const kept = matte?.pieces[piece ?? ""] ? piece : (matte?.order[0] ?? null);
      set({ selection, also: [], keys: [], points: [], piece: kept, view: !matte && isMatteView(view) ? "picture" : view });
    },
    selectAlso: (id) => {
      const { selection, also } = get();
      if (selection.kind !== "layer") return get().select({ kind: "layer", id });
      if (selection.id === id) return also.length ? set({ selection: { kind: "layer", id: also[0] }, also: also.slice(1), keys: [] }) : undefined;
      set(also.includes(id) ? { also: also.filter((a) => a !== id) } : { selection: { kind: "layer", id }, also: [selection.id, ...also], keys: [] });
    },
    selectLayers: (ids) => {
      if (!ids.length) return;
      get().select({ kind: "layer", id: ids[0] });
      set({ also: ids.slice(1) });
    },
    draft: (ops) => {
      if (get().stored) set(shown({ dragged: ops }));
    },
    commit: (label, ops) => {
      const stored = get().stored;
      if (!stored || !ops.length) return Promise.resolve();
      set(shown({ pending: [...get().pending, ops], dragged: [] }));
      const key = crypto.randomUUID();
      return inOrder(async () => {
        const base = get().stored!.revision;
        const body = { base, label, ops: ops as never, client: CLIENT, key };
        const path = { shot_id: stored.id };
        const steps = await untilAnswered(() => got<Steps>(api.POST("/api/shots/{shot_id}/edits", { params: { path }, body })));
        const state = await walked(steps);
        set({ pending: get().pending.slice(1) });
        return state;
      });
    },
    give: (command, args) => {
      const id = get().id;
      if (!id) return Promise.resolve();
      const key = crypto.randomUUID();
      return inOrder(async () => {
        const body = { base: get().stored!.revision, command, arguments: args, client: CLIENT, key };
        const done = await untilAnswered(() => got<Done>(api.POST("/api/shots/{shot_id}/do", { params: { path: { shot_id: id } }, body })));
        const state = await walked(done.shot);
        set(shown({ stored: state }));
        const chosen = done.select.filter((s) => s.startsWith("layers/")).map((s) => s.slice("layers/".length));
        get().selectLayers(chosen.filter((c) => state.document.layers[c]));
        if (done.note) get().say(done.note, "info");
        return state;
      });
    },
    landed: () => queue.then(() => undefined),
    undo: () => (get().stored?.undo ? again("undo") : Promise.resolve()),
    redo: () => (get().stored?.redo ? again("redo") : Promise.resolve()),
    takeOver: () => {
      set({ conflict: null, ...shown({ pending: [], dragged: [] }) });
      return inOrder(() => untilAnswered(() => getShot(get().id!)));
    },
    catchUp: () =>
      inOrder(async () => {
        const { id, stored } = get();
        if (!stored) return untilAnswered(() => getShot(id!));
        const params = { path: { shot_id: id! }, query: { base: stored.revision } };
        return walked(await untilAnswered(() => got<Steps>(api.GET("/api/shots/{shot_id}/steps", { params }))));
      }),
    say: (text, kind = "error") => {
      set({ message: { text, kind } });
    },
  };
});

/** Some of it: a component that asks so is drawn anew only when one of these is another. */
export function usePick<K extends keyof Bench>(...names: K[]): Pick<Bench, K> {
  return useBench(useShallow((s) => Object.fromEntries(names.map((n) => [n, s[n]])) as Pick<Bench, K>));
}

const IN_TIME = /^\/(trim|cues)|\/(keys|span|time)(\/|$)/;

/** The shot with what is dragged of its times; what else is dragged is left out. */
export const useShotInTime = (): Shot | null =>
  useBench((s) => (s.dragged.some((op) => IN_TIME.test(op.path)) ? s.shot : s.base));
