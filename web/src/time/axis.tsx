/** The one time axis that film strip and lanes share. */
import { useBench } from "../state/bench";
import { useHead } from "../state/playhead";
import { fps } from "../document/names";

export const useAxis = () => {
  const rate = useBench((s) => s.shot?.rate);
  const frames = useBench((s) => s.shot?.frames ?? 1);
  return { fps: rate ? fps(rate) : 24, frames };
};

/** The frame (not rounded) under a pointer; each frame takes up an equal share, so frame f lies at f + 0.5. */
export function frameAt(e: { clientX: number }, row: HTMLElement, frames: number): number {
  const r = row.getBoundingClientRect();
  return Math.min(Math.max(((e.clientX - r.left) / r.width) * frames - 0.5, 0), frames - 1);
}

export function Axis({ frames, head }: { frames: number; head?: boolean }) {
  const frame = useHead();
  return (
    <div
      className="pointer-events-none absolute inset-y-0 z-10"
      style={{ left: `${((frame + 0.5) / frames) * 100}%` }}
      aria-hidden
    >
      <div className="absolute inset-y-0 -left-px w-[2px] bg-brass" />
      {head && (
        <div className="absolute -left-[6px] top-0 border-x-[6px] border-t-[8px] border-x-transparent border-t-brass" />
      )}
    </div>
  );
}
