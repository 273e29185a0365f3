/** The shot document's types: the generated ones, with defaults filled in (the server always sends them whole). */
import type { components } from "../api/schema.d";

type Whole<T> = T extends (infer U)[] ? Whole<U>[] : T extends object ? { [K in keyof T]-?: Whole<T[K]> } : T;
type Schemas = components["schemas"];

export type Vec2 = [number, number];
export type Vec3 = [number, number, number];
export type Ease = "hold" | "linear" | "smooth" | "bezier";
export interface Key<T = unknown> {
  frame: number;
  value: T;
  ease: Ease;
  handles: [number, number, number, number];
}
/** A live modifier of a value; what is keyed stays what it is. */
export type Mover = { kind: string; id: string; on: boolean } & Record<string, unknown>;
/** `movers` and their order are left out where there are none. */
export interface Animated<T = unknown> {
  value: T;
  keys: Key<T>[];
  movers?: Record<string, Mover>;
  moving?: string[];
}
export interface DrawnCurve {
  points: Vec2[];
}

export type Ride = Whole<Schemas["Ride"]>;
export type Steady = Whole<Schemas["Steady"]>;
export type Part = Ride["parts"][number];
export type Corners = [Vec2, Vec2, Vec2, Vec2];
export interface Hang {
  layer: string;
  reference_frame: number;
}
export interface Depth {
  track: string | null;
  position: Animated<Vec3>;
  rotation: Animated<Vec3>;
  width: Animated<number>;
  facing: "own" | "camera";
}
export interface Place {
  position: Animated<Vec2>;
  scale: Animated<Vec2>;
  rotation: Animated<number>;
  pivot: Animated<Vec2>;
  corners: Animated<Corners> | null;
  depth: Depth | null;
  ride: Ride | null;
  pivot_ride: Ride | null;
  hang: Hang | null;
  steady: Steady | null;
  motion_blur: boolean;
}
export interface OutlinePoint {
  at: Vec2;
  before: Vec2;
  after: Vec2;
  outer: number;
  inner: number;
}
export interface Outline {
  points: OutlinePoint[];
}
export interface Cut {
  id: string;
  matte: string;
  side: "inside" | "outside";
  grow: Animated<number>;
  soften: Animated<number>;
}
interface PieceBase {
  id: string;
  name: string;
  on: boolean;
  how: "add" | "subtract" | "intersect";
  invert: boolean;
  span: Vec2 | null;
  opacity: Animated<number>;
  grow: Animated<number>;
  soften: Animated<number>;
}
export interface ShapePiece extends PieceBase {
  kind: "shape";
  outline: Animated<Outline>;
  closed: boolean;
  width: Animated<number>;
  ride: Ride | null;
  motion_blur: boolean;
}
export interface ChromaPiece extends PieceBase {
  kind: "chroma";
  layer: string;
  screen: [number, number, number] | null;
  clean_frame: number | null;
  clean_footage: string | null;
  clean_through: boolean;
}
export interface RangePiece extends PieceBase {
  kind: "luma" | "colour";
  layer: string;
}
export interface FacePiece extends PieceBase {
  kind: "face";
  track: string;
  part: string;
}
export interface LayerPiece extends PieceBase {
  kind: "layer";
  layer: string;
  channel: "alpha" | "luminance";
}
export interface CutoutStroke {
  frame: number;
  keep: boolean;
  points: Vec2[];
  width: number;
}
export interface CutoutPiece extends PieceBase {
  kind: "cutout";
  layer: string;
  strokes: CutoutStroke[];
  samples: string | null;
  fine: Animated<number>;
  fine_within: Cuts;
  clean: Animated<number>;
}
export interface DifferencePiece extends PieceBase {
  kind: "difference";
  layer: string;
  clean_frame: number | null;
  clean_footage: string | null;
}
export interface DistancePiece extends PieceBase {
  kind: "distance";
  track: string;
  near: Animated<number>;
  far: Animated<number>;
  height: Animated<number>;
}
export type Piece =
  CutoutPiece | DistancePiece | DifferencePiece | ShapePiece | ChromaPiece | RangePiece | FacePiece | LayerPiece;
export interface Matte {
  id: string;
  name: string;
  pieces: Record<string, Piece>;
  order: string[];
  holes: Animated<number>;
  crumbs: Animated<number>;
}
export type Effect = { kind: string; id: string; on: boolean; mix: Animated<number>; cuts: Cuts } & Record<
  string,
  unknown
>;
/** How a layer meets what lies beneath it. */
export type Meet = { kind: string; id: string; on: boolean } & Record<string, unknown>;
export type Cuts = Record<string, Cut>;
/** What a layer shows; kinds this page does not know have other fields. */
export type Content =
  | { kind: "footage"; footage: string }
  | { kind: "group"; stack: string[] }
  | { kind: "twin"; layer: string }
  | { kind: "beneath" }
  | { kind: "nothing" };
export interface TimeMap {
  start: number;
  speed: Animated<number>;
  position: Animated<number> | null;
  end: "hold" | "loop" | "nothing";
  between: "nearest" | "mixed" | "by motion";
}
export type Blend = Schemas["Layer"]["blend"];
export interface Layer {
  id: string;
  name: string;
  visible: boolean;
  span: Vec2 | null;
  content: Content;
  time: TimeMap;
  place: Place;
  cuts: Cuts;
  effects: Record<string, Effect>;
  chain: string[];
  meets: Record<string, Meet>;
  meeting: string[];
  blend: NonNullable<Blend>;
  opacity: Animated<number>;
  pairs: Pair[];
}
/** A place in an insert, and the place in the plate that it should look like. */
export interface Pair {
  own: Vec2;
  plate: Vec2;
  own_frame: number;
  plate_frame: number;
}
interface TrackBase {
  id: string;
  name: string;
  footage: string;
  reference_frame: number;
  samples: string | null;
  lost_frames: number;
  note: string;
  ignore: string | null;
  ignore_side: "inside" | "outside";
  bridge: string | null;
}
interface HandSet {
  frame: number;
  position: Vec2;
}
/** One point of a track: where it is in the reference frame, and where it was put right by hand. */
export interface Followed {
  id: string;
  position: Vec2;
  hand_set: HandSet[];
}
export interface PointTrack extends TrackBase {
  kind: "point";
  points: Record<string, Followed>;
  order: string[];
  pattern_px: number;
  reach_px: number;
  match_light: boolean;
  match_turn: boolean;
  match_blur: boolean;
}
export interface PlaneTrack extends TrackBase {
  kind: "plane";
  corners: Corners;
  hand_set: { frame: number; corners: Corners }[];
}
/** Centre and sides in full-size footage pixels, turned clockwise. */
export interface BoxAt {
  centre: Vec2;
  sides: Vec2;
  angle_deg: number;
}
export interface ObjectTrack extends TrackBase {
  kind: "object";
  box: BoxAt;
  hand_set: { frame: number; box: BoxAt }[];
}
export interface FaceTrack extends TrackBase {
  kind: "face";
  near: Vec2 | null;
}
export type BodyPart = string; // one of those in /api/about
export interface BodyTrack extends TrackBase {
  kind: "body";
  part: BodyPart;
  near: Vec2 | null;
  hand_set: HandSet[];
}
export interface CameraTrack extends TrackBase {
  kind: "camera";
  focal_px: number | null;
  lens: number | null;
  world: number[] | null;
}
export interface PictureTrack extends TrackBase {
  kind: "picture";
}
export type Track = PointTrack | PlaneTrack | ObjectTrack | FaceTrack | BodyTrack | CameraTrack | PictureTrack;
export type Footage = Whole<Schemas["Footage"]>;
export type Shot = Omit<Whole<Schemas["Shot"]>, "layers" | "tracks" | "mattes" | "plate" | "trim" | "size" | "cues"> & {
  cues: Record<string, { id: string; frame: number; name: string }>;
  layers: Record<string, Layer>;
  tracks: Record<string, Track>;
  mattes: Record<string, Matte>;
  plate: string | null;
  trim: Vec2;
  size: Vec2;
};
export type ShotState = Omit<Schemas["ShotOut"], "document"> & { document: Shot };
export type HistoryItem = Schemas["HistoryItem"];
export type Steps = Schemas["Steps"];
export type ShotCard = Schemas["ShotCard"];
export type ShelfItem = Schemas["ShelfItem"];
export type Run = Schemas["RunOut"];
export type Control = Schemas["Control"];
export type EffectInfo = Schemas["EffectInfo"];
export type About = Schemas["About"];
export type TrackFile =
  Schemas["PointFile"] | Schemas["PlaneFile"] | Schemas["ObjectFile"] | Schemas["FaceFile"] | Schemas["CameraFile"];
export type CameraFile = Schemas["CameraFile"];
export type Reading = Schemas["Reading"];
export type Snapped = Schemas["Snapped"];
export type OutlineFit = Schemas["OutlineFit"];
export type Op = { op: "add" | "replace" | "remove"; path: string; value?: unknown };
export type Storage = Schemas["Storage"];
