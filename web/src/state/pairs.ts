/** Places that were picked as pairs, of each insert: in it, and in the plate. Remembered by the browser. */
import { create } from "zustand";
import { persist } from "zustand/middleware";
import type { Vec2 } from "../document/types";

export interface Pair {
  own: Vec2;
  plate: Vec2;
  own_frame: number;
  plate_frame: number;
}
/** How far a pair was off and is, and its colours as a display shows them, 0..1. */
export interface Pairing {
  own: number[];
  plate: number[];
  before: number;
  after: number;
}
interface Pairs {
  of: Record<string, Pair[]>;
  /** What the last match said, of each insert. */
  said: Record<string, { words: string; pairs: Pairing[] }>;
  /** The place in the insert whose partner in the plate is still to be picked. */
  half: { own: Vec2; own_frame: number } | null;
  setPairs: (layer: string, pairs: Pair[]) => void;
  tell: (layer: string, said: { words: string; pairs: Pairing[] }) => void;
  setHalf: (half: Pairs["half"]) => void;
}

export const usePairs = create<Pairs>()(
  persist(
    (set) => ({
      of: {},
      said: {},
      half: null,
      setPairs: (layer, pairs) => set((s) => ({ of: { ...s.of, [layer]: pairs } })),
      tell: (layer, said) => set((s) => ({ said: { ...s.said, [layer]: said } })),
      setHalf: (half) => set({ half }),
    }),
    { name: "tropein-pairs", partialize: ({ of }) => ({ of }) },
  ),
);
export const NO_PAIRS: Pair[] = [];
