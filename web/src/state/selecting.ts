/** What is selected: a layer and others beside it, a track, a matte with a piece and points; keys. */
import type { Part } from "./bench";
import { isMatteView } from "./looking";

export type Selection = { kind: "layer" | "track" | "matte"; id: string } | { kind: "shot" };
export interface KeyRef {
  path: string;
  frame: number;
}

export interface Selecting {
  selection: Selection;
  /** Layers that are selected beside that one. */
  also: string[];
  keys: KeyRef[];
  /** The piece of the selected matte, and the points of its outline, that are chosen. */
  piece: string | null;
  points: number[];
  select: (selection: Selection) => void;
  /** Take a layer into the selection, or out of it. */
  selectAlso: (id: string) => void;
  selectLayers: (ids: string[]) => void;
}

export const FRESH_SELECTION = {
  selection: { kind: "shot" },
  also: [],
  keys: [],
  piece: null,
  points: [],
} satisfies Partial<Selecting>;

export const selecting: Part<Selecting> = (set, get) => ({
  ...FRESH_SELECTION,
  select: (selection) => {
    const { view, piece, shot } = get();
    const matte = selection.kind === "matte" ? shot?.mattes[selection.id] : undefined;
    const kept = matte?.pieces[piece ?? ""] ? piece : (matte?.order[0] ?? null);
    set({
      selection,
      also: [],
      keys: [],
      points: [],
      piece: kept,
      view: !matte && isMatteView(view) ? "picture" : view,
    });
  },
  selectAlso: (id) => {
    const { selection, also } = get();
    if (selection.kind !== "layer") return get().select({ kind: "layer", id });
    if (selection.id === id)
      return also.length
        ? set({ selection: { kind: "layer", id: also[0] }, also: also.slice(1), keys: [] })
        : undefined;
    set(
      also.includes(id)
        ? { also: also.filter((a) => a !== id) }
        : { selection: { kind: "layer", id }, also: [selection.id, ...also], keys: [] },
    );
  },
  selectLayers: (ids) => {
    if (!ids.length) return;
    get().select({ kind: "layer", id: ids[0] });
    set({ also: ids.slice(1) });
  },
});
