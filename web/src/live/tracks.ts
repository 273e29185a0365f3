/** Samples of tracks that are being made just now, by track. */
import { create } from "zustand";

/** The middle of what is tracked; of a plane its four corners come after. */
export type LiveSample = [frame: number, x: number, y: number, confidence: number, lost: number, ...corners: number[]];
interface LiveTracks {
  byTrack: Record<string, LiveSample[]>;
  add: (track: string, samples: LiveSample[]) => void;
  clear: (track: string) => void;
}

export const useLiveTracks = create<LiveTracks>((set) => ({
  byTrack: {},
  add: (track, samples) =>
    set((s) => {
      const kept = new Map((s.byTrack[track] ?? []).map((x) => [x[0], x]));
      for (const sample of samples) kept.set(sample[0], sample);
      return { byTrack: { ...s.byTrack, [track]: [...kept.values()].sort((a, b) => a[0] - b[0]) } };
    }),
  clear: (track) =>
    set((s) => {
      const rest = { ...s.byTrack };
      delete rest[track];
      return { byTrack: rest };
    }),
}));
