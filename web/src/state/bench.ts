/** The store of the main view, in four parts: the document, how it is looked at, what is selected, the tool in hand. */
import { create, type StateCreator } from "zustand";
import { useShallow } from "zustand/react/shallow";
import type { Shot } from "../document/types";
import { documents, type DocumentSlice } from "./document";
import { looking, type Looking } from "./looking";
import { selecting, type Selecting } from "./selecting";
import { tools, type Tools } from "./tools";

export { CLIENT } from "./document";
export { isMatteView, type Drawer, type MatteView, type View } from "./looking";
export type { KeyRef, Selection } from "./selecting";
export { isShapeTool, SHAPE_TOOLS, type ShapeTool, type Tool } from "./tools";

export type Bench = DocumentSlice & Looking & Selecting & Tools;
export type Part<T> = StateCreator<Bench, [], [], T>;

export const useBench = create<Bench>((...all) => ({
  ...documents(...all),
  ...looking(...all),
  ...selecting(...all),
  ...tools(...all),
}));

/** Whether a group in the row of panes is shown open, as a tray. */
export const showsTrays = ({ shot, unfolded, inside }: Bench): boolean =>
  unfolded.some((id) => shot?.layers[id] !== undefined && id !== inside);

/** Some of it: a component that asks so is drawn anew only when one of these is another. */
export function usePick<K extends keyof Bench>(...names: K[]): Pick<Bench, K> {
  return useBench(useShallow((s) => Object.fromEntries(names.map((n) => [n, s[n]])) as Pick<Bench, K>));
}

const IN_TIME = /^\/(trim|cues)|\/(keys|span|time)(\/|$)/;
const OF_ALL = /^\/(trim|cues)/;

const useShotWith = (dragged: RegExp): Shot | null =>
  useBench((s) => (s.dragged.some((op) => dragged.test(op.path)) ? s.shot : s.base));

/** The shot with what is dragged of its times; what else is dragged is left out. */
export const useShotInTime = (): Shot | null => useShotWith(IN_TIME);

/** The shot with what is dragged of its own times, those of layers and keys left out. */
export const useShotAsAWhole = (): Shot | null => useShotWith(OF_ALL);
