import { cancelRun, useRuns, useSamples } from "../api/client";
import { handSetFrames } from "../document/marks";
import { removeTrack } from "../document/ops";
import type { PointTrack, Track, TrackFile } from "../document/types";
import { useBench } from "../state/bench";
import { Scrub } from "../ui/Scrub";
import { take } from "./actions";
import { trackedLayers } from "./names";
import { Rename } from "./Sentence";
import { Section } from "./Sheet";
import { plateLayer, runTrack } from "./tracking";

const WHAT = { point: "a point of", plane: "a plane in", face: "a face in" };
const MEND = {
  point: "Drag the ring in the picture to put it right here; then follow again, and the path goes through it.",
  plane: "Drag a corner in the picture to put it right here; then follow again, and the plane goes through it.",
  face: "A face is found by itself. Where it is lost, what rides on it bridges the gap.",
};

/** A track: what it follows, how surely, what rides on it; run it, mend it. */
export function TrackSheet({ track }: { track: Track }) {
  const { shot, commit, frame, seek } = useBench();
  const runs = useRuns().data ?? [];
  const files = useSamples(track.samples ? [track.samples] : []);
  if (!shot) return null;
  const path = `/tracks/${track.id}`;
  const latest = runs.find((r) => r.kind === "track" && r.settings.track === track.id);
  const run = runs.find((r) => r.kind === "track" && r.settings.track === track.id && ["waiting", "running", "finishing"].includes(r.state));
  const riders = trackedLayers(shot, track.id).map((l) => l.name);
  const file = track.samples ? files[track.samples] : undefined;
  const start = plateLayer()?.start ?? 0;
  const frames: { frame: number; lost: boolean; confidence: number; reason?: string }[] = file?.frames ?? [];
  const here = frames.find((s) => s.frame === frame - start);
  const kept = frames.filter((s) => !s.lost);
  const mean = kept.reduce((a, s) => a + s.confidence, 0) / Math.max(1, kept.length);
  const what = track.kind === "point" && track.more.length ? `${track.more.length + 1} points of` : WHAT[track.kind];
  const letGo = () => {
    if (track.kind === "face") return;
    const rest = (track.hand_set as { frame: number }[]).filter((h) => h.frame !== frame - start);
    void commit(`let ${track.name} go at ${frame - start}`, [{ op: "replace", path: `${path}/hand_set`, value: rest }]);
  };
  return (
    <>
      <p className="text-[15px] leading-7" data-testid="sentence">
        <Rename value={track.name} label="Name of the track" save={(name) => void commit(`rename ${track.name}`, [{ op: "replace", path: `${path}/name`, value: name }])} />, {what}{" "}
        <b>{shot.footage[track.footage]?.name}</b>, seen at frame <button className="mono font-semibold underline decoration-2 underline-offset-4" onClick={() => seek(track.reference_frame + start)}>{track.reference_frame}</button>
        {file ? <>, followed through <b>{frames.length - track.lost_frames}</b> frames{track.lost_frames ? <> and <b className="text-warn">lost in {track.lost_frames}</b></> : ""}, carries {riders.length ? <b>{riders.join(", ")}</b> : <i className="text-quiet">nothing yet</i>}.</> : ", not followed yet."}
      </p>
      {track.note && <p role="status" className="rounded border border-warn/50 bg-warn/10 px-3 py-2">{track.note}</p>}
      {latest?.state === "failed" && <p role="alert" className="rounded border border-warn/50 bg-warn/10 px-3 py-2">{latest.error}</p>}
      <Section title="Follow" note={file ? `confidence ${Math.round(mean * 100)} %` : undefined}>
        {run ? (
          <div className="flex flex-col gap-2 py-1">
            <progress className="w-full" aria-label="Tracking" max={run.total || 1} value={run.done} />
            <div className="flex items-center gap-2"><span className="mono flex-1 text-quiet">{run.state === "waiting" ? "waiting for a worker" : `${run.done} of ${run.total}`}</span><button className="btn" onClick={() => void cancelRun(run.id)}>Stop, keep what is done</button></div>
          </div>
        ) : track.kind === "face" ? (
          <button className="btn btn-main my-1 w-full" onClick={() => void runTrack(track, "both")}>Both ways</button>
        ) : (
          <div className="flex gap-1.5 py-1">
            <button className="btn flex-1" onClick={() => void runTrack(track, "backward")}>◂ Back</button>
            <button className="btn btn-main flex-1" onClick={() => void runTrack(track, "both")}>Both ways</button>
            <button className="btn flex-1" onClick={() => void runTrack(track, "forward")}>On ▸</button>
          </div>
        )}
        {track.kind === "point" && <PointSettings track={track} />}
      </Section>
      <Section title="At this frame" note={here ? (here.lost ? "lost" : `confidence ${Math.round(here.confidence * 100)} %`) : "not tracked"}>
        <p className="py-1 text-quiet">{here?.reason ? `${here.reason}. ` : ""}{MEND[track.kind]}</p>
        {file?.kind === "face" && <FaceFacts file={file} frame={frame - start} />}
        {handSetFrames(track).includes(frame - start) && <button className="btn" onClick={letGo}>No longer set by hand here</button>}
      </Section>
      <div className="flex-1" />
      <button className="btn mt-4 self-start" onClick={() => void commit(`remove the track ${track.name}`, removeTrack(shot, track.id))}>Remove this track</button>
    </>
  );
}

function PointSettings({ track }: { track: PointTrack }) {
  const commit = useBench((s) => s.commit);
  const row = (title: string, key: "pattern_px" | "reach_px", hard: [number, number]) => (
    <div className="flex items-center gap-2">
      <span className="flex-1">{title}</span>
      <Scrub label={title} value={track[key]} step={1} unit="px" digits={0} hard={hard} onDrag={() => undefined} onSet={(v) => void commit(`set the ${title.toLowerCase()} of ${track.name}`, [{ op: "replace", path: `/tracks/${track.id}/${key}`, value: Math.round(v) }])} />
    </div>
  );
  return (
    <>
      {row("Pattern", "pattern_px", [7, 60])}
      {row("Reach", "reach_px", [8, 200])}
      <div className="flex items-center gap-2 py-1">
        <span className="flex-1 text-quiet">{track.more.length ? `${track.more.length + 1} points: turn and size too` : "A second point adds turn and size"}</span>
        <button className="btn py-0" onClick={() => take("more")}>Add a point</button>
      </div>
    </>
  );
}

function FaceFacts({ file, frame }: { file: TrackFile; frame: number }) {
  const sample = file.kind === "face" ? file.frames.find((s) => s.frame === frame) : undefined;
  if (!sample?.eye_open) return null;
  const facts = [["Left eye open", sample.eye_open.left], ["Right eye open", sample.eye_open.right], ["Mouth open", sample.mouth_open ?? 0]] as const;
  return (
    <dl className="grid grid-cols-[1fr_auto] gap-y-1 py-1">
      {facts.map(([name, v]) => [<dt key={name}>{name}</dt>, <dd key={`${name}v`} className="mono text-right">{Math.round(v * 100)} %</dd>])}
    </dl>
  );
}
