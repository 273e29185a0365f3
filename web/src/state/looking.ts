/** How the open shot is looked at. */
import type { Bench, Part } from "./bench";

export type View = "picture" | "alpha" | "red" | "green" | "blue" | "luminance" | "clipped" | MatteView;
/** Views that need a matte to be selected. */
export type MatteView =
  "matte" | "matte-soft" | "matte-faults" | "matte-tint" | "on-checker" | "on-black" | "on-grey" | "on-white";
export const isMatteView = (view: View): view is MatteView => view.startsWith("matte") || view.startsWith("on-");
export type Drawer = "shelf" | "tracks" | "mattes" | "make" | null;

/** A still that stands beside the picture, of this shot as it was when it was held, or of another one. */
export interface Still {
  shot: string;
  name: string;
  frame: number;
  frames: [number, number];
  /** When it was held: a still is not made anew when its shot changes. */
  held: number;
}

export interface Looking {
  frame: number;
  playing: boolean;
  loop: [number, number] | null;
  lanesAs: "lanes" | "curves" | "scopes" | "sit";
  /** The part of the picture that scopes are of, in shot pixels; null for none drawn. */
  scoped: [number, number, number, number] | null;
  view: View;
  compare: "off" | "wipe";
  wipe: number;
  /** What stands beside the picture; stays from shot to shot. */
  still: Still | null;
  peek: boolean;
  zoom: number | "fit";
  pan: [number, number];
  /** The solved scene of a camera track, shown in place of the picture. */
  scene: string | null;
  /** The group whose own stack is looked at, null for the shot's. */
  inside: string | null;
  /** The cue whose name is being typed. */
  naming: string | null;
  /** Groups whose layers are shown in the row of panes. */
  unfolded: string[];
  drawer: Drawer;
  dialog: "none" | "palette" | "shortcuts" | "render" | "history";
  message: { text: string; kind: "error" | "info" } | null;
  set: (part: Partial<Bench>) => void;
  seek: (frame: number) => void;
  say: (text: string, kind?: "error" | "info") => void;
}

/** What is not kept from one shot to the next. */
export const FRESH_LOOK = {
  playing: false,
  loop: null,
  inside: null,
  naming: null,
  unfolded: [],
  zoom: "fit",
  pan: [0, 0],
  drawer: null,
  view: "picture",
  compare: "off",
  scene: null,
} satisfies Partial<Looking>;

export const looking: Part<Looking> = (set, get) => ({
  ...FRESH_LOOK,
  pan: [0, 0],
  frame: 0,
  lanesAs: "lanes",
  scoped: null,
  wipe: 0.5,
  still: null,
  peek: false,
  dialog: "none",
  message: null,
  set,
  seek: (frame) => {
    const shot = get().shot;
    if (shot) set({ frame: Math.min(Math.max(Math.round(frame), 0), shot.frames - 1) });
  },
  say: (text, kind = "error") => {
    set({ message: { text, kind } });
  },
});
