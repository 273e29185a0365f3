/**
 * The frame that is on screen while the shot plays. The bench's own frame follows a few times a second: most of what it changes is read,
 * not watched, and drawing all of it anew at every picture would hold the pictures up.
 */
import { create } from "zustand";
import { useBench } from "./bench";

export const usePlayhead = create<{ at: number | null }>(() => ({ at: null }));

/** The frame that is on screen. */
export const headNow = (): number => usePlayhead.getState().at ?? useBench.getState().frame;

export function useHead(): number {
  const frame = useBench((s) => s.frame);
  const at = usePlayhead((s) => s.at);
  return at ?? frame;
}
