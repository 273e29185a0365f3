import { useState } from "react";
import { cancelRun, going, useAbout, useRuns, useSamples } from "../api/client";
import { cornersAt, handSetFrames, marks } from "../document/marks";
import { fromPlateFrame, plateFrame } from "../document/timing";
import type { Op, PlaneTrack, Track, TrackFile } from "../document/types";
import { useBench, usePick } from "../state/bench";
import { carriedBy } from "../document/names";
import { CameraFacts } from "./CameraFacts";
import { FaceFacts } from "./FaceFacts";
import { PatchStrip } from "./PatchStrip";
import { PointSettings } from "./PointSettings";
import { Section } from "./Section";
import { Rename } from "./Sentence";
import { FileRow } from "./TrackFiles";
import { BridgeWords, IgnoreWords, OverWords, PartMenu } from "./TrackWords";
import { runTrack, snapToEdges, trimTrack } from "../tools/tracking";
import { NameWords } from "./NameWords";

const WHAT = {
  point: "a point of",
  plane: "a plane in",
  object: "a thing in",
  face: "a face in",
  body: "a part of a body in",
  camera: "the camera of",
  picture: "the motion of all of",
};
const MEND = {
  point: "Drag the ring in the picture to put it right here; then follow again, and the path goes through it.",
  plane: "Drag a corner in the picture to put it right here; then follow again, and the plane goes through it.",
  object:
    "Drag the box or a corner in the picture to put it right here; then follow again, and the box goes through it.",
  body: "It is found by itself in every frame. Where that is wrong drag the ring right; then follow again, and the path goes through it.",
  face: "A face is found by itself. Where it is lost, what rides on it bridges the gap.",
  camera: "Select a layer, let it ride on the camera, then click one of the points in the picture to place it there.",
  picture: "Select the plate and hold this track still; with Smooth above 0 only the shake goes.",
};

/** A track: what it follows, how surely, what rides on it; run it, mend it. */
export function TrackSheet({ track }: { track: Track }) {
  const { base: shot, commit, frame, loop, seek } = usePick("base", "commit", "frame", "loop", "seek");
  const runs = useRuns().data ?? [];
  const directed = useAbout().data?.tracks.find((k) => k.kind === track.kind)?.directed ?? true;
  const files = useSamples(track.samples ? [track.samples] : []);
  const [wish, setWish] = useState<"trim" | "loop">("trim");
  if (!shot) return null;
  const over = loop ? wish : "trim";
  const path = `/tracks/${track.id}`;
  const latest = runs.find((r) => r.kind === "track" && r.settings.track === track.id);
  const run = runs.find((r) => r.kind === "track" && r.settings.track === track.id && going(r));
  const riders = carriedBy(shot, track.id);
  const file = track.samples ? files[track.samples] : undefined;
  const now = plateFrame(shot, frame);
  const frames: { frame: number; lost: boolean; confidence: number; reason?: string }[] = file?.frames ?? [];
  const here = frames.find((s) => s.frame === now);
  const kept = frames.filter((s) => !s.lost);
  const mean = kept.reduce((a, s) => a + s.confidence, 0) / Math.max(1, kept.length);
  const what = track.kind === "point" && track.order.length > 1 ? `${track.order.length} points of` : WHAT[track.kind];
  const letGo = () => {
    const held: [string, { frame: number }[]][] =
      track.kind === "point"
        ? Object.values(track.points).map((p) => [`${path}/points/${p.id}/hand_set`, p.hand_set])
        : "hand_set" in track
          ? [[`${path}/hand_set`, track.hand_set]]
          : [];
    const ops = held
      .filter(([, hand]) => hand.some((h) => h.frame === now))
      .map(([at, hand]): Op => ({ op: "replace", path: at, value: hand.filter((h) => h.frame !== now) }));
    void commit(`let ${track.name} go at ${now}`, ops);
  };
  return (
    <>
      <p className="text-[15px] leading-7" data-testid="sentence">
        <Rename
          value={track.name}
          label="Name of the track"
          save={(name) => void commit(`rename ${track.name}`, [{ op: "replace", path: `${path}/name`, value: name }])}
        />
        ,{" "}
        {track.kind === "body" ? (
          <>
            the <PartMenu track={track} /> of someone in
          </>
        ) : (
          what
        )}{" "}
        <b>{shot.footage[track.footage]?.name}</b>, seen at{" "}
        <span className="whitespace-nowrap">
          frame{" "}
          <button
            className="mono font-semibold underline decoration-2 underline-offset-4"
            onClick={() => seek(fromPlateFrame(shot, track.reference_frame))}
          >
            {track.reference_frame}
          </button>
          ,
        </span>{" "}
        {file ? (
          <>
            followed through <b>{frames.length - track.lost_frames}</b> frames
            {track.lost_frames ? (
              <>
                {" "}
                and <b className="text-warn">lost in {track.lost_frames}</b>
              </>
            ) : (
              ""
            )}
            , carries {riders.length ? <NameWords of={riders} /> : <i className="text-quiet">nothing yet</i>}
          </>
        ) : (
          "not followed yet"
        )}
        {track.kind !== "face" && track.kind !== "body" && (
          <>
            , <IgnoreWords track={track} />
          </>
        )}
        {file && track.lost_frames > 0 && (
          <>
            , <BridgeWords track={track} />
          </>
        )}
        .
      </p>
      {track.note && (
        <p role="status" className="rounded border border-warn/50 bg-warn/10 px-3 py-2">
          {track.note}
        </p>
      )}
      {latest?.state === "failed" && (
        <p role="alert" className="rounded border border-warn/50 bg-warn/10 px-3 py-2">
          {latest.error}
        </p>
      )}
      <Section title="Follow" note={file ? `confidence ${Math.round(mean * 100)} %` : undefined}>
        {run ? (
          <div className="flex flex-col gap-2 py-1">
            <progress className="w-full" aria-label="Tracking" max={run.total || 1} value={run.done} />
            <div className="flex items-center gap-2">
              <span className="mono flex-1 text-quiet">
                {run.state === "waiting" ? "waiting for a worker" : `${run.done} of ${run.total}`}
              </span>
              <button className="btn" onClick={() => void cancelRun(run.id)}>
                Stop, keep what is done
              </button>
            </div>
          </div>
        ) : !directed ? (
          <button
            className="btn btn-main my-1 w-full"
            onClick={() => void runTrack(track, "both", over)}
          >{`${track.kind === "camera" ? "Solve" : "Follow"}${file ? " again" : ""}`}</button>
        ) : (
          <div className="flex gap-1.5 py-1">
            <button className="btn flex-1" onClick={() => void runTrack(track, "backward", over)}>
              ◂ Back
            </button>
            <button className="btn btn-main flex-1" onClick={() => void runTrack(track, "both", over)}>
              Both ways
            </button>
            <button className="btn flex-1" onClick={() => void runTrack(track, "forward", over)}>
              On ▸
            </button>
          </div>
        )}
        {!run && <OverWords over={over} set={setWish} />}
        {track.kind === "point" && (
          <PointSettings track={track} shutter={file?.kind === "point" ? (file.shutter_deg ?? null) : null} />
        )}
        {track.kind === "plane" && <SnapRow track={track} file={file} now={now} />}
        {track.kind === "camera" && <CameraFacts track={track} file={file} />}
      </Section>
      <Section
        title="At this frame"
        note={here ? (here.lost ? "lost" : `confidence ${Math.round(here.confidence * 100)} %`) : "not tracked"}
      >
        <p className="py-1 text-quiet">
          {here?.reason ? `${here.reason}. ` : ""}
          {MEND[track.kind]}
        </p>
        {file?.kind === "face" && <FaceFacts file={file} frame={now} />}
        {file && frames.length > 1 && (
          <div className="flex gap-1.5 pb-1">
            <button
              className="btn flex-1 py-0.5"
              disabled={now <= frames[0].frame}
              onClick={() => void trimTrack(track, now, frames.at(-1)!.frame)}
              title="Keeps only what was found from this frame on"
            >
              Forget before
            </button>
            <button
              className="btn flex-1 py-0.5"
              disabled={now >= frames.at(-1)!.frame}
              onClick={() => void trimTrack(track, frames[0].frame, now)}
              title="Keeps only what was found up to this frame"
            >
              Forget after
            </button>
          </div>
        )}
        {file && frames.length > 1 && track.kind !== "camera" && track.kind !== "picture" && (
          <PatchStrip track={track} frames={frames} />
        )}
        {handSetFrames(track).includes(now) && (
          <button className="btn" onClick={letGo}>
            No longer set by hand here
          </button>
        )}
      </Section>
      <div className="flex-1" />
      <FileRow track={track} file={file} />
      <button
        className="btn mt-2 self-start"
        onClick={() => void useBench.getState().give("remove-tracks", { tracks: [track.id] })}
      >
        Remove this track
      </button>
    </>
  );
}

function SnapRow({ track, file, now }: { track: PlaneTrack; file: TrackFile | undefined; now: number }) {
  const corners = cornersAt(
    track,
    now,
    marks(file, undefined).find((m) => m.frame === now),
  );
  return (
    <button
      className="btn my-1 w-full"
      disabled={!corners}
      title="Draws its corners to the edges that lie along its sides at this frame"
      onClick={() => corners && void snapToEdges(track, corners)}
    >
      Snap to edges
    </button>
  );
}
