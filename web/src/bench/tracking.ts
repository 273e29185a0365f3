/** Starting, running and mending tracks. */
import { api, got, queries } from "../api/client";
import { newTrack } from "../document/ops";
import type { FootageLayer, Run, Track, Vec2 } from "../document/types";
import { useLiveTracks } from "../live/tracks";
import { useBench } from "../state/bench";

export const plateLayer = () => {
  const { shot } = useBench.getState();
  return shot?.plate ? (shot.layers[shot.plate] as FootageLayer) : null;
};

/** A new point track on the plate at a place of the picture, selected and ready to run. */
export async function startTrack(position: Vec2): Promise<void> {
  const { shot, frame, commit, set } = useBench.getState();
  const plate = plateLayer();
  if (!shot || !plate) return;
  const [w, h] = shot.size;
  if (position[0] < 0 || position[1] < 0 || position[0] >= w || position[1] >= h) return;
  const n = Object.keys(shot.tracks).length + 1;
  const track = newTrack(plate.footage, `Point ${n}`, frame - plate.start, position.map((v) => Number(v.toFixed(2))) as Vec2);
  set({ tool: "move" });
  await commit(`start the track ${track.name}`, [{ op: "add", path: `/tracks/${track.id}`, value: track }]);
  set({ selection: { kind: "track", id: track.id }, drawer: null });
}

/** Track over the shot's trim in a direction from the reference frame. */
export async function runTrack(track: Track, direction: "forward" | "backward" | "both"): Promise<void> {
  const { id, shot, say } = useBench.getState();
  if (!id || !shot) return;
  const last = shot.footage[track.footage].frames - 1;
  const anchors = [track.reference_frame, ...track.hand_set.map((h) => h.frame)];
  const from = direction === "forward" ? Math.min(...anchors) : Math.min(shot.trim[0], ...anchors);
  const to = direction === "backward" ? Math.max(...anchors) : Math.min(Math.max(shot.trim[1], ...anchors), last);
  useLiveTracks.getState().clear(track.id);
  try {
    await got<Run>(api.POST("/api/shots/{shot_id}/tracks/{track_id}/run", { params: { path: { shot_id: id, track_id: track.id } }, body: { direction, first: Math.max(0, from), last: to } }));
    await queries.invalidateQueries({ queryKey: ["runs"] });
  } catch (error) {
    say((error as Error).message);
  }
}

/** Put the point right at this frame; tracking takes it as a constraint. */
export async function setByHand(track: Track, position: Vec2): Promise<void> {
  const { frame, commit } = useBench.getState();
  const here = frame - (plateLayer()?.start ?? 0);
  const place = position.map((v) => Number(v.toFixed(2))) as Vec2;
  if (here === track.reference_frame) {
    await commit(`move the reference of ${track.name}`, [{ op: "replace", path: `/tracks/${track.id}/position`, value: place }]);
    return;
  }
  const rest = track.hand_set.filter((h) => h.frame !== here);
  const value = [...rest, { frame: here, position: place }].sort((a, b) => a.frame - b.frame);
  await commit(`set ${track.name} by hand at ${here}`, [{ op: "replace", path: `/tracks/${track.id}/hand_set`, value }]);
}
