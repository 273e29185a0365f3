/**
 * The open shot: as it is stored, with the edits on their way, and with what is being dragged. The document
 * lives here and nowhere else.
 */
import { api, ApiError, getShot, got, untilAnswered } from "../api/client";
import { patched } from "../document/patch";
import type { Op, Shot, ShotState, Steps } from "../document/types";
import type { Part } from "./bench";
import { FRESH_LOOK } from "./looking";
import { FRESH_SELECTION, type KeyRef } from "./selecting";
import { FRESH_TOOLS } from "./tools";

export const CLIENT = crypto.randomUUID().slice(0, 12);
interface Done {
  shot: Steps;
  select: string[];
  note: string;
}

export interface DocumentSlice {
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
  conflict: string | null;
  /** Edits, commands and steps the server has not answered yet. */
  sending: number;
  open: (id: string) => Promise<void>;
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
}

const FRESH_DOCUMENT = {
  id: null,
  stored: null,
  shot: null,
  base: null,
  pending: [],
  dragged: [],
  overlay: [],
  conflict: null,
  sending: 0,
} satisfies Partial<DocumentSlice>;

let queue: Promise<unknown> = Promise.resolve();

export const documents: Part<DocumentSlice> = (set, get) => {
  /** The shown document made anew; edits that no longer fit the stored one are left out. */
  const shown = (part: Partial<Pick<DocumentSlice, "stored" | "pending" | "dragged">>): Partial<DocumentSlice> => {
    const { stored, pending, dragged } = { ...get(), ...part };
    const overlay = [...pending.flat(), ...dragged];
    if (!stored) return { ...part, overlay };
    try {
      const base =
        "stored" in part || "pending" in part || !get().base ? patched(stored.document, pending.flat()) : get().base!;
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
    set({
      also: also.filter(stays),
      unfolded: unfolded.filter(stays),
      inside: inside && stays(inside) ? inside : null,
    });
    const gone =
      (selection.kind === "layer" && !shot.layers[selection.id]) ||
      (selection.kind === "track" && !shot.tracks[selection.id]) ||
      (selection.kind === "matte" && !shot.mattes[selection.id]);
    set({ ...(gone ? { points: [], selection: { kind: "shot" } } : {}), frame: Math.min(frame, shot.frames - 1) });
  };
  const received = (state: ShotState) => {
    set(shown({ stored: state }));
    letGo();
  };
  /** The state after some steps; asked for as a whole where they do not set out from the one that is here. */
  const walked = async (steps: Steps): Promise<ShotState> => {
    const { stored } = get();
    if (!stored || stored.id !== steps.id || stored.revision !== steps.base)
      return untilAnswered(() => getShot(steps.id));
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
    const { id } = get();
    const counted = (by: number) => get().id === id && set({ sending: Math.max(0, get().sending + by) });
    counted(1);
    const result = queue
      .then(work)
      .then(received, failed)
      .finally(() => counted(-1));
    queue = result;
    return result;
  };
  const again = (what: "undo" | "redo") =>
    inOrder(() => {
      const id = get().id!;
      const body = { body: { client: CLIENT, base: get().stored!.revision }, params: { path: { shot_id: id } } };
      return got<Steps>(
        what === "undo" ? api.POST("/api/shots/{shot_id}/undo", body) : api.POST("/api/shots/{shot_id}/redo", body),
      ).then(walked);
    });
  return {
    ...FRESH_DOCUMENT,
    open: async (id) => {
      set({ ...FRESH_DOCUMENT, ...FRESH_LOOK, ...FRESH_SELECTION, ...FRESH_TOOLS, id });
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
        const steps = await untilAnswered(() =>
          got<Steps>(api.POST("/api/shots/{shot_id}/edits", { params: { path }, body })),
        );
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
        const done = await untilAnswered(() =>
          got<Done>(api.POST("/api/shots/{shot_id}/do", { params: { path: { shot_id: id } }, body })),
        );
        const state = await walked(done.shot);
        set(shown({ stored: state }));
        const chosen = done.select.flatMap((s) => /^layers\/([^/]+)$/.exec(s)?.slice(1) ?? []);
        get().selectLayers(chosen.filter((c) => state.document.layers[c]));
        const keys = done.select.flatMap((s): KeyRef[] => {
          const [, path, at] = /^(.+)\/keys\/(-?\d+)$/.exec(s) ?? [];
          return path ? [{ path: `/${path}`, frame: Number(at) }] : [];
        });
        if (keys.length) set({ keys });
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
  };
};
