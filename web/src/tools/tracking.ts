/** Starting, running and mending tracks. */
import { aboutQuery, api, got, queries } from "../api/client";
import { SAME, sizeOf4, through4 } from "../document/scene";
import { sample } from "../document/animate";
import { handSetFrames, handSetOf } from "../document/marks";
import {
  newBody,
  newCamera,
  newFace,
  newId,
  newObject,
  newPicture,
  newPlane,
  newPoint,
  setValue,
} from "../document/ops";
import type {
  BodyPart,
  BodyTrack,
  BoxAt,
  CameraFile,
  Layer,
  Corners,
  ObjectTrack,
  PlaneTrack,
  PointTrack,
  Run,
  Snapped,
  Track,
  Vec2,
} from "../document/types";
import { useLiveTracks } from "../live/tracks";
import { plateFrame, plateStretch } from "../document/timing";
import { useBench } from "../state/bench";
import { footageOf } from "../document/layers";

export const plateLayer = () => {
  const { shot } = useBench.getState();
  return shot?.plate ? (shot.layers[shot.plate] as Layer) : null;
};

const rounded = (p: Vec2): Vec2 => p.map((v) => Number(v.toFixed(2))) as Vec2;

/** Whether a place, in the plate's own pixels, lies in its picture. */
function inPicture([x, y]: Vec2): boolean {
  const { shot } = useBench.getState();
  const [w, h] = shot!.footage[footageOf(plateLayer()) ?? ""]?.size ?? shot!.size;
  return x >= 0 && y >= 0 && x < w && y < h;
}

async function begin(make: (footage: string, frame: number, count: number) => Track): Promise<void> {
  const { shot, frame, commit, set } = useBench.getState();
  const footage = footageOf(plateLayer());
  if (!shot || !footage) return;
  const track = make(footage, plateFrame(shot, frame), Object.keys(shot.tracks).length + 1);
  const begun = commit(`start the track ${track.name}`, [{ op: "add", path: `/tracks/${track.id}`, value: track }]);
  set({ tool: "move", drawn: [], selection: { kind: "track", id: track.id }, drawer: null });
  await begun;
  const about = await queries.fetchQuery(aboutQuery);
  if (about.tracks.some((k) => k.kind === track.kind && !k.directed)) await runTrack(track, "both");
}

/** A camera track over the plate; it needs nothing to be clicked. */
export const startCamera = () => begin((footage, frame, n) => newCamera(footage, `Camera ${n}`, frame));

/** A part of a body, found by its name. */
export const startBody = (part: BodyPart) =>
  begin((footage, frame) => newBody(footage, part[0].toUpperCase() + part.slice(1), frame, part));

/** A track of the picture as a whole, for holding it still. */
export const startPicture = () => begin((footage, frame, n) => newPicture(footage, `Whole picture ${n}`, frame));

/** Tie a layer to a place of a solved scene: it lies there, grows and shrinks with its distance. */
export async function placeInScene(layer: Layer, track: Track, place: number[], at: Vec2): Promise<void> {
  const { frame, commit, shot } = useBench.getState();
  const path = `/layers/${layer.id}/place`;
  const spot = place.map((v) => Number(v.toFixed(5))).join(",");
  const ride = {
    track: track.id,
    reference_frame: frame,
    parts: ["position", "rotation", "scale"],
    spot,
    steady: layer.place.ride?.steady ?? 0,
    gaps: layer.place.ride?.gaps ?? "bridge",
  };
  await commit(`place ${layer.name} in the scene`, [
    { op: "replace", path: `${path}/ride`, value: ride },
    ...setValue(shot!, `${path}/position`, frame, rounded(at)),
  ]);
}

/** Lay a layer in depth at a place of a solved scene, as wide as it was seen there. */
export async function placeInDepth(layer: Layer, track: Track, file: CameraFile, place: number[]): Promise<void> {
  const { frame, commit, shot } = useBench.getState();
  const depth = layer.place.depth;
  const pose = file.frames.find((f) => f.frame === plateFrame(shot, frame))?.world_to_camera;
  if (!shot || !depth || !pose) return;
  const world = track.kind === "camera" ? (track.world ?? SAME) : SAME;
  const away = pose[8] * place[0] + pose[9] * place[1] + pose[10] * place[2] + pose[11];
  const base = `/layers/${layer.id}/place/depth`;
  const width = depth.track
    ? sample(depth.width, frame)
    : (sample(depth.width, frame) * away * sizeOf4(world)) / file.focal_px;
  await commit(`place ${layer.name} in the scene`, [
    { op: "replace", path: `${base}/track`, value: track.id },
    ...setValue(
      shot,
      `${base}/position`,
      frame,
      through4(world, place).map((v) => Number(v.toPrecision(7))),
    ),
    ...setValue(shot, `${base}/width`, frame, Number(width.toPrecision(5))),
  ]);
}

/** A click in the picture with a tracking tool in hand, in the plate's own pixels. */
export function clickToTrack(at: Vec2): void {
  const { tool, drawn, set, shot, selection, commit, frame, say } = useBench.getState();
  if (!shot || !inPicture(at)) return;
  const place = rounded(at);
  if (tool === "point") void begin((footage, f, n) => newPoint(footage, `Point ${n}`, f, place));
  if (tool === "face") void begin((footage, f, n) => newFace(footage, `Face ${n}`, f, place));
  if (tool === "plane") {
    const corners = [...drawn, place];
    if (corners.length < 4) set({ drawn: corners });
    else void begin((footage, f, n) => newPlane(footage, `Plane ${n}`, f, corners as Corners));
  }
  if (tool === "more" && selection.kind === "track") {
    const track = shot.tracks[selection.id];
    set({ tool: "move" });
    if (track.kind !== "point") return;
    if (plateFrame(shot, frame) !== track.reference_frame)
      say(`Points are added at the frame the track starts from: ${track.reference_frame}.`);
    else {
      const point = { id: newId(), position: place, hand_set: [] };
      void commit(`add a point to ${track.name}`, [
        { op: "add", path: `/tracks/${track.id}/points/${point.id}`, value: point },
        { op: "add", path: `/tracks/${track.id}/order/-`, value: point.id },
      ]);
    }
  }
}

/** A box dragged around a thing, by two corners in the plate's own pixels. */
export function boxToTrack(a: Vec2, b: Vec2): void {
  const centre = rounded([(a[0] + b[0]) / 2, (a[1] + b[1]) / 2]);
  const sides = rounded([Math.abs(a[0] - b[0]), Math.abs(a[1] - b[1])]);
  if (inPicture(centre))
    void begin((footage, f, n) => newObject(footage, `Object ${n}`, f, { centre, sides, angle_deg: 0 }));
}

/**
 * Track over the trim of the shot or its loop, in a direction from the reference frame. What was found elsewhere
 * stays, but for a solve and the motion of the whole picture.
 */
export async function runTrack(
  track: Track,
  direction: "forward" | "backward" | "both",
  over: "trim" | "loop" = "trim",
): Promise<void> {
  const { id, shot, loop, say, landed } = useBench.getState();
  if (!id || !shot) return;
  const stretch = plateStretch(shot, (over === "loop" && loop) || shot.trim);
  const hand = handSetFrames(track).filter((f) => over === "trim" || (f >= stretch[0] && f <= stretch[1]));
  // a solve and the whole picture's motion set out from no frame in particular
  const anchors = track.kind === "camera" || track.kind === "picture" ? [] : [track.reference_frame, ...hand];
  const last = shot.footage[track.footage].frames - 1;
  const from = direction === "forward" ? Math.min(...anchors) : Math.min(stretch[0], ...anchors);
  const to = direction === "backward" ? Math.max(...anchors) : Math.max(stretch[1], ...anchors);
  useLiveTracks.getState().clear(track.id);
  try {
    await landed();
    await got<Run>(
      api.POST("/api/shots/{shot_id}/tracks/{track_id}/run", {
        params: { path: { shot_id: id, track_id: track.id } },
        body: { direction, first: Math.max(0, from), last: Math.min(to, last) },
      }),
    );
    await queries.invalidateQueries({ queryKey: ["runs"] });
  } catch (error) {
    say((error as Error).message);
  }
}

/** Draw the corners of a plane, where they are at this frame, to the edges near its sides. */
export async function snapToEdges(track: PlaneTrack, corners: Corners): Promise<void> {
  const { shot, say } = useBench.getState();
  if (!shot) return;
  try {
    const found = await got<Snapped>(
      api.POST("/api/media/{media}/snap", {
        params: { path: { media: shot.footage[track.footage].media } },
        body: { frame: here(), corners },
      }),
    );
    await setCornersByHand(track, found.corners);
    if (found.sides < 4) say(`${found.sides} of its 4 sides found an edge; the rest stay as they were.`);
  } catch (error) {
    say((error as Error).message);
  }
}

/** Keep only what was found in some frames of the footage. */
export async function trimTrack(track: Track, first: number, last: number): Promise<void> {
  const { id, say, landed } = useBench.getState();
  try {
    await landed();
    await got(
      api.POST("/api/shots/{shot_id}/tracks/{track_id}/trim", {
        params: { path: { shot_id: id!, track_id: track.id } },
        body: { first, last },
      }),
    );
    useLiveTracks.getState().clear(track.id);
  } catch (error) {
    say((error as Error).message);
  }
}

/** A new track that goes as several point tracks do together; it starts from the present frame. */
export async function combineTracks(tracks: Track[]): Promise<void> {
  const { id, say, shot, frame, select, landed } = useBench.getState();
  const name =
    tracks.length === 2 ? `${tracks[0].name} and ${tracks[1].name}` : `${tracks[0].name} and ${tracks.length - 1} more`;
  try {
    await landed();
    const made = await got<{ id: string }>(
      api.POST("/api/shots/{shot_id}/tracks/combine", {
        params: { path: { shot_id: id! } },
        body: { tracks: tracks.map((t) => t.id), name, reference_frame: plateFrame(shot, frame) },
      }),
    );
    select({ kind: "track", id: made.id });
  } catch (error) {
    say((error as Error).message);
  }
}

const here = () => plateFrame(useBench.getState().shot, useBench.getState().frame);

/** Put a point right at this frame; tracking takes it as a constraint. */
export async function setPointByHand(track: PointTrack | BodyTrack, point: number, position: Vec2): Promise<void> {
  const { commit } = useBench.getState();
  const [frame, place] = [here(), rounded(position)];
  const path = track.kind === "point" ? `/tracks/${track.id}/points/${track.order[point]}` : `/tracks/${track.id}`;
  if (track.kind === "point" && frame === track.reference_frame) {
    await commit(`move the reference of ${track.name}`, [{ op: "replace", path: `${path}/position`, value: place }]);
    return;
  }
  const rest = handSetOf(track, point).filter((h) => h.frame !== frame);
  const value = [...rest, { frame, position: place }].sort((a, b) => a.frame - b.frame);
  await commit(`set ${track.name} by hand at ${frame}`, [{ op: "replace", path: `${path}/hand_set`, value }]);
}

/** Take one of its points out of a track, with what was found of it. */
export async function dropPoint(track: PointTrack, point: string): Promise<void> {
  const { id, say, landed } = useBench.getState();
  try {
    await landed();
    await got(
      api.POST("/api/shots/{shot_id}/tracks/{track_id}/points/{point_id}/drop", {
        params: { path: { shot_id: id!, track_id: track.id, point_id: point } },
      }),
    );
    useLiveTracks.getState().clear(track.id);
  } catch (error) {
    say((error as Error).message);
  }
}

export async function setCornersByHand(track: PlaneTrack, corners: Corners): Promise<void> {
  const { commit } = useBench.getState();
  const [frame, value] = [here(), corners.map(rounded) as Corners];
  if (frame === track.reference_frame) {
    await commit(`move the corners of ${track.name}`, [{ op: "replace", path: `/tracks/${track.id}/corners`, value }]);
    return;
  }
  const hand = [...track.hand_set.filter((h) => h.frame !== frame), { frame, corners: value }].sort(
    (a, b) => a.frame - b.frame,
  );
  await commit(`set ${track.name} by hand at ${frame}`, [
    { op: "replace", path: `/tracks/${track.id}/hand_set`, value: hand },
  ]);
}

export async function setBoxByHand(track: ObjectTrack, box: BoxAt): Promise<void> {
  const { commit } = useBench.getState();
  const [frame, value] = [
    here(),
    { centre: rounded(box.centre), sides: rounded(box.sides), angle_deg: Number(box.angle_deg.toFixed(2)) },
  ];
  if (frame === track.reference_frame) {
    await commit(`move the box of ${track.name}`, [{ op: "replace", path: `/tracks/${track.id}/box`, value }]);
    return;
  }
  const hand = [...track.hand_set.filter((h) => h.frame !== frame), { frame, box: value }].sort(
    (a, b) => a.frame - b.frame,
  );
  await commit(`set ${track.name} by hand at ${frame}`, [
    { op: "replace", path: `/tracks/${track.id}/hand_set`, value: hand },
  ]);
}
