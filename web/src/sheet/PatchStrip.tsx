import { useState } from "react";
import { fromPlateFrame, plateFrame } from "../document/timing";
import type { Track } from "../document/types";
import { usePick } from "../state/bench";

const COUNT = 18;
const [COLUMNS, SIDE] = [6, 64];

/** What the track holds on to, in frames spread over all of it, aligned: what drifts is seen to move. */
export function PatchStrip({ track, frames }: { track: Track; frames: { frame: number; lost: boolean }[] }) {
  const { base: shot, frame, seek } = usePick("base", "frame", "seek");
  const [point, setPoint] = useState(0);
  const now = plateFrame(shot, frame);
  if (!shot || !track.samples) return null;
  const step = Math.max(1, (frames.length - 1) / (COUNT - 1));
  const chosen = [
    ...new Set(Array.from({ length: Math.min(COUNT, frames.length) }, (_, i) => Math.round(i * step))),
  ].map((i) => frames[Math.min(i, frames.length - 1)]);
  const half = track.kind === "point" ? track.pattern_px : track.kind === "body" ? 24 : 15;
  const points = track.kind === "point" ? track.order.length : 1;
  const asked = new URLSearchParams({
    frames: chosen.map((s) => s.frame).join(","),
    point: String(Math.min(point, points - 1)),
    half: String(half),
  });
  const source = `/api/media/${shot.footage[track.footage].media}/tracks/${track.samples}/strip.jpg?${asked}`;
  const nearest = chosen.reduce((a, s) => (Math.abs(s.frame - now) < Math.abs(a.frame - now) ? s : a), chosen[0]);
  const edge = (s: (typeof chosen)[number]) =>
    s === nearest ? "border-brass" : s.lost ? "border-warn" : "border-transparent";
  return (
    <div className="py-1">
      <div className="mb-1 flex items-center gap-2 text-quiet">
        <span className="flex-1" title="A patch that stays still is held truly; one that slides drifts">
          What it holds on to
        </span>
        {points > 1 && (
          <button className="btn py-0" onClick={() => setPoint((point + 1) % points)}>
            point {point + 1} of {points}
          </button>
        )}
      </div>
      <div
        className="grid gap-0.5"
        style={{ gridTemplateColumns: `repeat(${COLUMNS}, minmax(0, 1fr))` }}
        data-testid="patch-strip"
      >
        {chosen.map((s, i) => (
          <button
            key={s.frame}
            aria-label={`Patch at frame ${s.frame}${s.lost ? ", lost" : ""}`}
            title={`frame ${s.frame}${s.lost ? ": lost" : ""}`}
            onClick={() => seek(fromPlateFrame(shot, s.frame))}
            className={`relative aspect-square overflow-hidden rounded-sm border ${edge(s)}`}
            style={{
              backgroundImage: `url("${source}")`,
              backgroundSize: `${chosen.length * 100}% 100%`,
              backgroundPosition: `${chosen.length > 1 ? (i / (chosen.length - 1)) * 100 : 0}% 0`,
              minHeight: SIDE / 2,
            }}
          >
            <span className="mono absolute right-0 bottom-0 bg-black/60 px-0.5 text-[9px] leading-3 text-ink">
              {s.frame}
            </span>
          </button>
        ))}
      </div>
    </div>
  );
}
