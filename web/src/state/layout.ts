/** How the page is shared out: how high the lanes are, and whether only the picture is wanted. Remembered by the browser. */
import { create } from "zustand";
import { persist } from "zustand/middleware";

export type Shown = "all" | "picture" | "strip";
interface Layout {
  /** Height of the lanes in pixels; null leaves to the picture what it can use. */
  lanes: number | null;
  shown: Shown;
  setLanes: (lanes: number | null) => void;
  toggle: (shown: Exclude<Shown, "all">) => void;
}

export const useLayout = create<Layout>()(
  persist(
    (set, get) => ({
      lanes: null,
      shown: "all",
      setLanes: (lanes) => set({ lanes }),
      toggle: (shown) => set({ shown: get().shown === shown ? "all" : shown }),
    }),
    { name: "tropein-layout", partialize: ({ lanes }) => ({ lanes }) },
  ),
);
