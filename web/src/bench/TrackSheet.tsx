import { cancelRun, useRuns, useSamples } from "../api/client";
import { removeTrack } from "../document/ops";
import type { Track } from "../document/types";
import { useBench } from "../state/bench";
import { Scrub } from "../ui/Scrub";
import { trackedLayers } from "./names";
import { Rename } from "./Sentence";
import { Section } from "./Sheet";
import { plateLayer, runTrack } from "./tracking";

/** A track: what it follows, how surely, what rides on it; run it, mend it. */
export function TrackSheet({ track }: { track: Track }) {
  const { shot, commit, frame, seek } = useBench();
  const runs = useRuns().data ?? [];
  const files = useSamples(track.samples ? [track.samples] : []);
  if (!shot) return null;
  const path = `/tracks/${track.id}`;
  const run = runs.find((r) => r.kind === "track" && r.settings.track === track.id && ["waiting", "running", "finishing"].includes(r.state));
  const failed = runs.find((r) => r.kind === "track" && r.settings.track === track.id);
  const riders = trackedLayers(shot, track.id).map((l) => l.name);
  const file = track.samples ? files[track.samples] : undefined;
  const start = plateLayer()?.start ?? 0;
  const here = file?.frames.find((s) => s.frame === frame - start);
  const hand = track.hand_set.some((h) => h.frame === frame - start);
  const mean = file ? file.frames.filter((s) => !s.lost).reduce((a, s) => a + s.confidence, 0) / Math.max(1, file.frames.filter((s) => !s.lost).length) : 0;
  return (
    <>
      <p className="text-[15px] leading-7" data-testid="sentence">
        <Rename value={track.name} label="Name of the track" save={(name) => void commit(`rename ${track.name}`, [{ op: "replace", path: `${path}/name`, value: name }])} />, a point of{" "}
        <b>{shot.footage[track.footage]?.name}</b>, seen at frame <button className="mono font-semibold underline decoration-2 underline-offset-4" onClick={() => seek(track.reference_frame + start)}>{track.reference_frame}</button>
        {file ? <>, followed through <b>{file.frames.length - track.lost_frames}</b> frames{track.lost_frames ? <> and <b className="text-warn">lost in {track.lost_frames}</b></> : ""}, carries {riders.length ? <b>{riders.join(", ")}</b> : <i className="text-quiet">nothing yet</i>}.</> : ", not followed yet."}
      </p>
      {track.note && <p role="status" className="rounded border border-warn/50 bg-warn/10 px-3 py-2">{track.note}</p>}
      {failed?.state === "failed" && <p role="alert" className="rounded border border-warn/50 bg-warn/10 px-3 py-2">{failed.error}</p>}
      <Section title="Follow" note={file ? `confidence ${Math.round(mean * 100)} %` : undefined}>
        {run ? (
          <div className="flex flex-col gap-2 py-1">
            <progress className="w-full" aria-label="Tracking" max={run.total || 1} value={run.done} />
            <div className="flex items-center gap-2"><span className="mono flex-1 text-quiet">{run.state === "waiting" ? "waiting for a worker" : `${run.done} of ${run.total}`}</span><button className="btn" onClick={() => void cancelRun(run.id)}>Stop, keep what is done</button></div>
          </div>
        ) : (
          <div className="flex gap-1.5 py-1">
            <button className="btn flex-1" onClick={() => void runTrack(track, "backward")}>◂ Back</button>
            <button className="btn btn-main flex-1" onClick={() => void runTrack(track, "both")}>Both ways</button>
            <button className="btn flex-1" onClick={() => void runTrack(track, "forward")}>On ▸</button>
          </div>
        )}
        <div className="flex items-center gap-2"><span className="flex-1">Pattern</span><Scrub label="Pattern" value={track.pattern_px} step={1} unit="px" digits={0} hard={[7, 60]} onDrag={() => undefined} onSet={(v) => void commit(`set the pattern of ${track.name}`, [{ op: "replace", path: `${path}/pattern_px`, value: Math.round(v) }])} /></div>
        <div className="flex items-center gap-2"><span className="flex-1">Reach</span><Scrub label="Reach" value={track.reach_px} step={1} unit="px" digits={0} hard={[8, 200]} onDrag={() => undefined} onSet={(v) => void commit(`set the reach of ${track.name}`, [{ op: "replace", path: `${path}/reach_px`, value: Math.round(v) }])} /></div>
      </Section>
      <Section title="At this frame" note={here ? (here.lost ? "lost" : `confidence ${Math.round(here.confidence * 100)} %`) : "not tracked"}>
        <p className="py-1 text-quiet">{here?.lost ? `${here.reason || "lost"}. ` : ""}Drag the ring in the picture to put it right here; then follow again, and the path goes through it.</p>
        {hand && <button className="btn" onClick={() => void commit(`let ${track.name} go at ${frame - start}`, [{ op: "replace", path: `${path}/hand_set`, value: track.hand_set.filter((h) => h.frame !== frame - start) }])}>No longer set by hand here</button>}
      </Section>
      <div className="flex-1" />
      <button className="btn mt-4 self-start" onClick={() => void commit(`remove the track ${track.name}`, removeTrack(shot, track.id))}>Remove this track</button>
    </>
  );
}
