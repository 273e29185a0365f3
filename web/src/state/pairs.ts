/** Pairs by which an insert is matched, while they are picked and asked about; what was picked stands in the shot. */
import { create } from "zustand";
import type { Layer, Pair, Vec2 } from "../document/types";

/** How far a pair was off and is, and its colours as a display shows them, 0..1. */
export interface Pairing {
  own: number[];
  plate: number[];
  before: number;
  after: number;
}
interface Pairs {
  /** What is being asked about, of each insert, until the shot has it. */
  asked: Record<string, Pair[] | undefined>;
  /** What the last match said, of each insert. */
  said: Record<string, { words: string; pairs: Pairing[] }>;
  /** The place in the insert whose partner in the plate is still to be picked. */
  half: { own: Vec2; own_frame: number } | null;
  setAsked: (layer: string, pairs?: Pair[]) => void;
  tell: (layer: string, said: { words: string; pairs: Pairing[] }) => void;
  setHalf: (half: Pairs["half"]) => void;
}

export const usePairs = create<Pairs>((set) => ({
  asked: {},
  said: {},
  half: null,
  setAsked: (layer, pairs) => set((s) => ({ asked: { ...s.asked, [layer]: pairs } })),
  tell: (layer, said) => set((s) => ({ said: { ...s.said, [layer]: said } })),
  setHalf: (half) => set({ half }),
}));

const NONE: Pair[] = [];

/** An insert's pairs: those that are asked about, else those of the shot. */
export const pairsOf = (layer: Layer | undefined, asked = usePairs.getState().asked): Pair[] =>
  (layer && (asked[layer.id] ?? layer.pairs)) || NONE;
