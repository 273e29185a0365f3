/** Edits as JSON Patch: setting a parameter at a frame, keys, layers, rides. */
import { sample } from "./animate";
import type {
  BodyPart,
  BodyTrack,
  BoxAt,
  ObjectTrack,
  Animated,
  CameraTrack,
  Corners,
  FaceTrack,
  Key,
  Op,
  Part,
  PictureTrack,
  PlaneTrack,
  PointTrack,
  Shot,
  Track,
  Vec2,
} from "./types";
import { hasPlace } from "./layers";

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

/** What of a track's motion is followed when a layer is tied to it. */
export function partsOf(track: Track): Part[] {
  if (track.kind === "plane") return ["perspective"];
  return track.kind !== "body" && (track.kind !== "point" || track.order.length > 1)
    ? ["position", "rotation", "scale"]
    : ["position"];
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
  points: { p1: { id: "p1", position, hand_set: [] } },
  order: ["p1"],
  pattern_px: 15,
  reach_px: 40,
  match_light: true,
  match_turn: true,
  match_blur: true,
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
