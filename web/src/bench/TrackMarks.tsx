import { useRef, useState } from "react";
import { useSamples } from "../api/client";
import type { LiveSample } from "../live/tracks";
import { useLiveTracks } from "../live/tracks";
import type { Track, TrackFile, Vec2 } from "../document/types";
import { useBench } from "../state/bench";
import { plateLayer, setByHand } from "./tracking";

/** Samples of a track, those just coming in over those stored. */
export function merged(file: TrackFile | undefined, live: LiveSample[] | undefined): LiveSample[] {
  const all = new Map<number, LiveSample>();
  for (const s of file?.frames ?? []) if (s.points[0]) all.set(s.frame, [s.frame, s.points[0][0], s.points[0][1], s.confidence, s.lost ? 1 : 0]);
  for (const s of live ?? []) all.set(s[0], s);
  return [...all.values()].sort((a, b) => a[0] - b[0]);
}

/** The selected track (or the one the selected layer rides on): its path, its ring with the reach, hand-set places. */
export function TrackMarks({ scale, toShot }: { scale: number; toShot: (e: React.PointerEvent) => Vec2 }) {
  const { shot, selection, frame } = useBench();
  const live = useLiveTracks((s) => s.byTrack);
  const layer = selection.kind === "layer" ? shot?.layers[selection.id] : undefined;
  const id = selection.kind === "track" ? selection.id : layer?.kind === "footage" ? layer.place.ride?.track : undefined;
  const track = id ? shot?.tracks[id] : undefined;
  const files = useSamples(track?.samples ? [track.samples] : []);
  if (!shot || !track) return null;
  const samples = merged(track.samples ? files[track.samples] : undefined, live[track.id]);
  return <Marks track={track} samples={samples} frame={frame - (plateLayer()?.start ?? 0)} scale={scale} toShot={toShot} active={selection.kind === "track"} />;
}

interface Props { track: Track; samples: LiveSample[]; frame: number; scale: number; toShot: (e: React.PointerEvent) => Vec2; active: boolean }

function Marks({ track, samples, frame, scale, toShot, active }: Props) {
  const [moved, setMoved] = useState<Vec2 | null>(null);
  const grabbed = useRef<Vec2 | null>(null);
  const hand = track.hand_set.find((h) => h.frame === frame);
  const sample = samples.find((s) => s[0] === frame);
  const here: Vec2 | null = moved ?? (frame === track.reference_frame ? track.position : (hand?.position ?? (sample ? [sample[1], sample[2]] : null)));
  const px = ([x, y]: Vec2) => `${(x * scale).toFixed(1)},${(y * scale).toFixed(1)}`;
  const runs: LiveSample[][] = [];
  for (const s of samples) {
    const last = runs.at(-1)?.at(-1);
    if (last && last[0] === s[0] - 1 && last[4] === s[4]) runs.at(-1)!.push(s);
    else runs.push(last && last[0] === s[0] - 1 ? [last, s] : [s]);
  }
  const colour = sample?.[4] ? "#e08763" : "#5fb3a1";
  return (
    <g data-testid="track-path" data-samples={samples.length}>
      {runs.map((run, i) => (
        <polyline key={i} points={run.map((s) => px([s[1], s[2]])).join(" ")} fill="none" stroke={run.at(-1)![4] ? "#e08763" : "#5fb3a1"} strokeWidth="1.4" strokeDasharray={run.at(-1)![4] ? "3 4" : undefined} opacity=".9" />
      ))}
      {samples.filter((s) => Math.abs(s[0] - frame) <= 8 && s[0] !== frame).map((s) => (
        <circle key={s[0]} cx={s[1] * scale} cy={s[2] * scale} r="1.8" fill={s[4] ? "#e08763" : "#5fb3a1"} opacity={1 - Math.abs(s[0] - frame) / 10} />
      ))}
      {track.hand_set.map((h) => (
        <path key={h.frame} d="M-4 0h8M0 -4v8" transform={`translate(${px(h.position)})`} stroke="#e6e4df" strokeWidth="1.5" />
      ))}
      {here && (
        <g
          transform={`translate(${px(here)})`} className={active ? "cursor-grab" : ""} style={{ pointerEvents: active ? "auto" : "none" }}
          onPointerDown={(e) => {
            if (e.button !== 0 || e.altKey) return;
            e.stopPropagation();
            e.currentTarget.setPointerCapture(e.pointerId);
            const p = toShot(e);
            grabbed.current = [here[0] - p[0], here[1] - p[1]];
          }}
          onPointerMove={(e) => {
            if (!grabbed.current) return;
            const p = toShot(e);
            setMoved([p[0] + grabbed.current[0], p[1] + grabbed.current[1]]);
          }}
          onPointerUp={() => {
            grabbed.current = null;
            if (moved) void setByHand(track, moved).finally(() => setMoved(null));
          }}
        >
          {active && <circle r={track.reach_px * scale} fill="#5fb3a1" fillOpacity=".06" stroke="#5fb3a1" strokeOpacity=".35" strokeDasharray="2 4" style={{ pointerEvents: "none" }} />}
          <circle r={Math.max(8, track.pattern_px * scale)} fill="transparent" stroke={colour} strokeWidth="1.8" />
          <circle r="1.6" fill={colour} />
          <title>{track.name}: drag to put it right at this frame</title>
        </g>
      )}
    </g>
  );
}
