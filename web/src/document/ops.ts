/** Edits as JSON Patch: setting a parameter at a frame, keys, layers, rides. */
import { sample } from "./animate";
import type {
  BodyPart,
  BodyTrack,
  BoxAt,
  ObjectTrack,
  Animated,
  CameraTrack,
  Layer,
  Corners,
  FaceTrack,
  Footage,
  Key,
  Op,
  Part,
  PictureTrack,
  PlaneTrack,
  PointTrack,
  Ride,
  Shot,
  Track,
  Vec2,
} from "./types";
import { hasPlace, stackAround } from "./layers";

export const newId = () =>
  Array.from(crypto.getRandomValues(new Uint8Array(8)), (b) => "abcdefghjkmnpqrstuvwxyz23456789"[b % 31]).join("");

/** The parameter at a JSON pointer. */
export function at<T = unknown>(shot: Shot, path: string): Animated<T> {
  return path
    .split("/")
    .slice(1)
    .reduce<unknown>((o, k) => (o as Record<string, unknown>)[k], shot) as Animated<T>;
}

/** Set a value: at the frame's key when the parameter is keyed, else the constant. */
export function setValue<T>(shot: Shot, path: string, frame: number, value: T): Op[] {
  const parameter = at<T>(shot, path);
  if (!parameter.keys.length) return [{ op: "replace", path: `${path}/value`, value }];
  return [{ op: "replace", path: `${path}/keys`, value: withKey(parameter, frame, value) }];
}

export function withKey<T>(parameter: Animated<T>, frame: number, value: T): Key<T>[] {
  const here = parameter.keys.find((k) => k.frame === frame);
  const before = parameter.keys.filter((k) => k.frame < frame).at(-1);
  const key: Key<T> = here
    ? { ...here, value }
    : { frame, value, ease: before?.ease ?? "smooth", handles: [0.33, 0, 0.67, 1] };
  return [...parameter.keys.filter((k) => k.frame !== frame), key].sort((a, b) => a.frame - b.frame);
}

/** Add a key with the present value, or remove the one that is there; the last one leaves its value behind. */
export function toggleKey<T>(shot: Shot, path: string, frame: number): Op[] {
  const parameter = at<T>(shot, path);
  const value = sample(parameter, frame);
  if (!parameter.keys.some((k) => k.frame === frame))
    return [{ op: "replace", path: `${path}/keys`, value: withKey(parameter, frame, value) }];
  const keys = parameter.keys.filter((k) => k.frame !== frame);
  const ops: Op[] = [{ op: "replace", path: `${path}/keys`, value: keys }];
  if (!keys.length) ops.push({ op: "replace", path: `${path}/value`, value });
  return ops;
}

/** Move some keys of a parameter by frames; keys they land on give way. */
export function moveKeys(parameter: Animated, frames: number[], by: number): Key[] {
  const moved = parameter.keys.filter((k) => frames.includes(k.frame)).map((k) => ({ ...k, frame: k.frame + by }));
  const landed = new Set(moved.map((k) => k.frame));
  const rest = parameter.keys.filter((k) => !frames.includes(k.frame) && !landed.has(k.frame));
  return [...rest, ...moved].sort((a, b) => a.frame - b.frame);
}

/** A parameter changed throughout: its constant and every key. */
export function everyKey<T>(path: string, parameter: Animated<T>, change: (value: T) => T): Op[] {
  const ops: Op[] = [{ op: "replace", path: `${path}/value`, value: change(parameter.value) }];
  if (parameter.keys.length)
    ops.push({
      op: "replace",
      path: `${path}/keys`,
      value: parameter.keys.map((k) => ({ ...k, value: change(k.value) })),
    });
  return ops;
}

const constant = <T>(value: T): Animated<T> => ({ value, keys: [] });

/** A layer as it comes: its content is all it needs. */
export function blankLayer(shot: Shot, name: string, content: Layer["content"]): Layer {
  return {
    id: newId(),
    name,
    visible: true,
    span: null,
    content,
    time: { start: 0, speed: constant(1), position: null, end: "hold", between: "nearest" },
    blend: "normal",
    opacity: constant(1),
    cuts: {},
    effects: {},
    chain: [],
    meets: {},
    meeting: [],
    place: {
      position: constant<Vec2>([shot.size[0] / 2, shot.size[1] / 2]),
      scale: constant<Vec2>([1, 1]),
      rotation: constant(0),
      pivot: constant<Vec2>([0, 0]),
      corners: null,
      depth: null,
      ride: null,
      pivot_ride: null,
      hang: null,
      steady: null,
      motion_blur: false,
    },
  };
}

export function newLayer(shot: Shot, footage: Footage, frame: number): Layer {
  const [w, h] = shot.size;
  const fit = Math.min(1, w / footage.size[0], h / footage.size[1]);
  const moving = footage.kind !== "still";
  const layer = blankLayer(shot, footage.name, { kind: "footage", footage: footage.id });
  layer.time.start = moving && footage.frames < shot.frames ? Math.min(frame, shot.frames - 1) : 0;
  layer.time.end = moving && footage.alpha ? "loop" : "hold";
  layer.place.scale = constant<Vec2>([fit, fit]);
  return layer;
}

/** A layer put into a stack, the shot's own or a group's; nothing goes below the plate. */
export function insertLayer(
  shot: Shot,
  layer: Layer,
  index: number,
  footage?: Footage,
  group: string | null = null,
): Op[] {
  const around = stackAround(shot, group);
  const last = !group && shot.plate ? around.stack.length - 1 : around.stack.length;
  const place = Math.min(Math.max(index, 0), last);
  const ops: Op[] = [];
  if (footage && !shot.footage[footage.id]) ops.push({ op: "add", path: `/footage/${footage.id}`, value: footage });
  ops.push(
    { op: "add", path: `/layers/${layer.id}`, value: layer },
    { op: "add", path: `${around.path}/${place}`, value: layer.id },
  );
  return ops;
}

/** What of a track's motion is followed when a layer is tied to it. */
export function partsOf(track: Track): Part[] {
  if (track.kind === "plane") return ["perspective"];
  return track.kind !== "body" && (track.kind !== "point" || track.more.length)
    ? ["position", "rotation", "scale"]
    : ["position"];
}

/** A tie to a track from a frame on; how smoothly, and what happens in gaps, as in the one it replaces. */
export const newRide = (track: Track, frame: number, old: Ride | null): Ride => ({
  track: track.id,
  reference_frame: frame,
  parts: partsOf(track),
  spot: track.kind === "face" ? "head" : "",
  steady: old?.steady ?? 0,
  gaps: old?.gaps ?? "bridge",
});

/** Tie a layer to a track at the present frame, so that nothing jumps here. */
export function rideOn(layer: Layer, track: Track | null, frame: number): Op[] {
  return [
    { op: "replace", path: `/layers/${layer.id}/place/ride`, value: track && newRide(track, frame, layer.place.ride) },
  ];
}

const trackBase = (footage: string, name: string, frame: number) => ({
  id: newId(),
  name,
  footage,
  reference_frame: frame,
  samples: null,
  lost_frames: 0,
  note: "",
  ignore: null,
  ignore_side: "inside" as const,
  bridge: null,
});

export const newPoint = (footage: string, name: string, frame: number, position: Vec2): PointTrack => ({
  kind: "point",
  ...trackBase(footage, name, frame),
  position,
  more: [],
  pattern_px: 15,
  reach_px: 40,
  match_light: true,
  match_turn: true,
  match_blur: true,
  hand_set: [],
});

export const newPlane = (footage: string, name: string, frame: number, corners: Corners): PlaneTrack => ({
  kind: "plane",
  ...trackBase(footage, name, frame),
  corners,
  hand_set: [],
});

export const newObject = (footage: string, name: string, frame: number, box: BoxAt): ObjectTrack => ({
  kind: "object",
  ...trackBase(footage, name, frame),
  box,
  hand_set: [],
});

export const newFace = (footage: string, name: string, frame: number, near: Vec2): FaceTrack => ({
  kind: "face",
  ...trackBase(footage, name, frame),
  near,
});

export const newBody = (footage: string, name: string, frame: number, part: BodyPart): BodyTrack => ({
  kind: "body",
  ...trackBase(footage, name, frame),
  part,
  near: null,
  hand_set: [],
});

export const newCamera = (footage: string, name: string, frame: number): CameraTrack => ({
  kind: "camera",
  ...trackBase(footage, name, frame),
  focal_px: null,
  lens: null,
  world: null,
});

export const newPicture = (footage: string, name: string, frame: number): PictureTrack => ({
  kind: "picture",
  ...trackBase(footage, name, frame),
});

/** Layers that hang from another. */
export const hangingFrom = (shot: Shot, id: string) =>
  Object.values(shot.layers).filter((l) => hasPlace(l) && l.place.hang?.layer === id);
