/** Where a track's marks lie, frame by frame: stored samples with those just coming in over them. */
import type { LiveSample } from "../live/tracks";
import type {
  BodyTrack,
  BoxAt,
  CameraFile,
  Corners,
  Followed,
  ObjectTrack,
  PlaneTrack,
  PointTrack,
  Track,
  TrackFile,
  Vec2,
} from "./types";

export interface Mark {
  frame: number;
  confidence: number;
  lost: boolean;
  reason: string;
  places: (Vec2 | null)[];
}

export function marks(file: TrackFile | undefined, live: LiveSample[] | undefined): Mark[] {
  const all = new Map<number, Mark>();
  const put = (s: { frame: number; confidence: number; lost: boolean; reason?: string }, places: (Vec2 | null)[]) =>
    all.set(s.frame, { frame: s.frame, confidence: s.confidence, lost: s.lost, reason: s.reason ?? "", places });
  if (file?.kind === "point") file.frames.forEach((s) => put(s, s.points as (Vec2 | null)[]));
  if (file?.kind === "plane") file.frames.forEach((s) => put(s, (s.corners ?? []) as Vec2[]));
  if (file?.kind === "object")
    file.frames.forEach((s) =>
      put(
        s,
        s.box
          ? boxCorners({ centre: [s.box[0], s.box[1]], sides: [s.box[2], s.box[3]], angle_deg: s.angle_deg ?? 0 })
          : [],
      ),
    );
  if (file?.kind === "face")
    file.frames.forEach((s) => put(s, s.landmarks ? [[s.landmarks[168][0], s.landmarks[168][1]]] : []));
  if (file?.kind === "camera") file.frames.forEach((s) => put(s, []));
  for (const [frame, x, y, confidence, lost, ...corners] of live ?? []) {
    const places: Vec2[] = corners.length === 8 ? [0, 2, 4, 6].map((i) => [corners[i], corners[i + 1]]) : [[x, y]];
    put({ frame, confidence, lost: lost === 1 }, places);
  }
  return [...all.values()].sort((a, b) => a.frame - b.frame);
}

/** Where a point of a track is at a frame: as set by hand, else as found. */
export function pointAt(
  track: PointTrack | BodyTrack,
  point: number,
  frame: number,
  mark: Mark | undefined,
): Vec2 | null {
  if (track.kind === "point" && frame === track.reference_frame) return followed(track, point)?.position ?? null;
  return handSetOf(track, point).find((h) => h.frame === frame)?.position ?? mark?.places[point] ?? null;
}

/** A point of a track, counted in the order in which its samples stand. */
export const followed = (track: PointTrack, point: number): Followed | undefined => track.points[track.order[point]];

/** Where a point was put right by hand. */
export const handSetOf = (track: PointTrack | BodyTrack, point: number) =>
  track.kind === "point" ? (followed(track, point)?.hand_set ?? []) : track.hand_set;

export function cornersAt(track: PlaneTrack, frame: number, mark: Mark | undefined): Corners | null {
  if (frame === track.reference_frame) return track.corners;
  const hand = track.hand_set.find((h) => h.frame === frame);
  return hand?.corners ?? (mark?.places.length === 4 && mark.places.every(Boolean) ? (mark.places as Corners) : null);
}

/** The corners of a box, clockwise from top left. */
export function boxCorners({ centre, sides, angle_deg }: BoxAt): Corners {
  const a = (angle_deg * Math.PI) / 180;
  const at = ([x, y]: number[]): Vec2 => [
    centre[0] + Math.cos(a) * x - Math.sin(a) * y,
    centre[1] + Math.sin(a) * x + Math.cos(a) * y,
  ];
  const [w, h] = [sides[0] / 2, sides[1] / 2];
  return [at([-w, -h]), at([w, -h]), at([w, h]), at([-w, h])];
}

/** The box whose corners, clockwise from top left, these are. */
export function boxOf([a, b, , d]: Corners): BoxAt {
  const across: Vec2 = [b[0] - a[0], b[1] - a[1]];
  return {
    centre: [(b[0] + d[0]) / 2, (b[1] + d[1]) / 2],
    sides: [Math.hypot(...across), Math.hypot(d[0] - a[0], d[1] - a[1])],
    angle_deg: (Math.atan2(across[1], across[0]) * 180) / Math.PI,
  };
}

/** A box one of whose corners was taken to a place; the one across from it stays. */
export function cornerMoved(box: BoxAt, index: number, to: Vec2): BoxAt {
  const fixed = boxCorners(box)[(index + 2) % 4];
  const a = (box.angle_deg * Math.PI) / 180;
  const [dx, dy] = [to[0] - fixed[0], to[1] - fixed[1]];
  const sides: Vec2 = [
    Math.max(4, Math.abs(Math.cos(a) * dx + Math.sin(a) * dy)),
    Math.max(4, Math.abs(Math.cos(a) * dy - Math.sin(a) * dx)),
  ];
  return { centre: [(fixed[0] + to[0]) / 2, (fixed[1] + to[1]) / 2], sides, angle_deg: box.angle_deg };
}

/** Where the box of a track is at a frame: as set by hand, else as found. */
export function boxAt(track: ObjectTrack, frame: number, mark: Mark | undefined): BoxAt | null {
  if (frame === track.reference_frame) return track.box;
  const hand = track.hand_set.find((h) => h.frame === frame);
  return hand?.box ?? (mark?.places.length === 4 && mark.places.every(Boolean) ? boxOf(mark.places as Corners) : null);
}

/** Frames in which the user said where it is. */
export const handSetFrames = (track: Track): number[] =>
  track.kind === "point"
    ? Object.values(track.points).flatMap((p) => p.hand_set.map((h) => h.frame))
    : "hand_set" in track
      ? track.hand_set.map((h) => h.frame)
      : [];

/** The points of a solved scene as the camera sees them at a frame: (index, x, y), those behind it left out. */
export function scenePoints(file: CameraFile, frame: number): [number, number, number][] {
  const m = file.frames.find((s) => s.frame === frame)?.world_to_camera;
  if (!m) return [];
  const [cx, cy] = file.principal_point;
  return file.points3d.flatMap(([x, y, z], i): [number, number, number][] => {
    const [u, v, w] = [0, 4, 8].map((r) => m[r] * x + m[r + 1] * y + m[r + 2] * z + m[r + 3]);
    if (w <= 1e-6) return [];
    const out = file.focal_px * (1 + file.radial * ((u / w) ** 2 + (v / w) ** 2)); // the lens's bend
    return [[i, (out * u) / w + cx, (out * v) / w + cy]];
  });
}

/** What of a face a layer can follow; left is the subject's left. */
export const FACE_SPOTS = ["head", "left iris", "right iris", "mouth"];

/** Rings of a face mesh worth drawing: the oval, both eyes, the lips. */
export const FACE_RINGS = [
  [
    10, 338, 297, 332, 284, 251, 389, 356, 454, 323, 361, 288, 397, 365, 379, 378, 400, 377, 152, 148, 176, 149, 150,
    136, 172, 58, 132, 93, 234, 127, 162, 21, 54, 103, 67, 109,
  ],
  [33, 246, 161, 160, 159, 158, 157, 173, 133, 155, 154, 153, 145, 144, 163, 7],
  [263, 466, 388, 387, 386, 385, 384, 398, 362, 382, 381, 380, 374, 373, 390, 249],
  [61, 185, 40, 39, 37, 0, 267, 269, 270, 409, 291, 375, 321, 405, 314, 17, 84, 181, 91, 146],
];
