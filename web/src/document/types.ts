/** The shot document's types: the generated ones, with defaults filled in (the server always sends them whole). */
import type { components } from "../api/schema";

type Whole<T> = T extends (infer U)[] ? Whole<U>[] : T extends object ? { [K in keyof T]-?: Whole<T[K]> } : T;
type Schemas = components["schemas"];

export type Vec2 = [number, number];
export type Ease = "hold" | "linear" | "smooth" | "bezier";
export interface Key<T = unknown> { frame: number; value: T; ease: Ease; handles: [number, number, number, number] }
export interface Animated<T = unknown> { value: T; keys: Key<T>[] }
export interface DrawnCurve { points: Vec2[] }

export type Ride = Whole<Schemas["Ride"]>;
export interface Place {
  position: Animated<Vec2>; scale: Animated<Vec2>; rotation: Animated<number>; pivot: Animated<Vec2>;
  corners: [Vec2, Vec2, Vec2, Vec2] | null; ride: Ride | null;
}
export type Effect = { kind: string; id: string; on: boolean; mix: Animated<number> } & Record<string, unknown>;
interface LayerBase { id: string; name: string; visible: boolean; span: Vec2 | null; opacity: Animated<number>; effects: Effect[] }
export type FootageLayer = LayerBase & Pick<Whole<Schemas["FootageLayer"]>, "kind" | "footage" | "start" | "end" | "blend"> & { place: Place };
export type VeilLayer = LayerBase & { kind: "veil" };
export type Layer = FootageLayer | VeilLayer;
export type Track = Omit<Whole<Schemas["PointTrack"]>, "position" | "hand_set" | "samples"> & {
  position: Vec2; hand_set: { frame: number; position: Vec2 }[]; samples: string | null;
};
export type Footage = Whole<Schemas["Footage"]>;
export type Shot = Omit<Whole<Schemas["Shot"]>, "layers" | "tracks" | "plate" | "trim" | "size"> & {
  layers: Record<string, Layer>; tracks: Record<string, Track>; plate: string | null; trim: Vec2; size: Vec2;
};
export type ShotState = Omit<Schemas["ShotOut"], "document"> & { document: Shot };
export type ShotCard = Schemas["ShotCard"];
export type ShelfItem = Schemas["ShelfItem"];
export type Run = Schemas["RunOut"];
export type Control = Schemas["Control"];
export type EffectInfo = Schemas["EffectInfo"];
export type About = Schemas["About"];
export type TrackFile = Schemas["TrackFile"];
export type Op = { op: "add" | "replace" | "remove"; path: string; value?: unknown };
