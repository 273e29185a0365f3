import { api, got } from "../api/client";
import type { Matte, OutlineFit, ShapePiece } from "../document/types";
import { usePick } from "../state/bench";
import { Row } from "./LaneRow";
import { useEveryFrame } from "../tools/useEveryFrame";

const MOST = 150; // frames that are looked at
const TALL_PX = 12; // how far off fills the lane

/** Where a shape fits worst: how far the edges it lay on in its keys have moved across it. Says where the next key helps most. */
export function FitLane({ matte, piece }: { matte: Matte; piece: ShapePiece }) {
  const { id, stored, base: shot, seek } = usePick("id", "stored", "base", "seek");
  const step = shot ? Math.max(1, Math.ceil((shot.trim[1] - shot.trim[0] + 1) / MOST)) : 1;
  const { found, running, stale, run, stop } = useEveryFrame(
    (frame, revision) =>
      got<OutlineFit>(
        api.GET("/api/shots/{shot_id}/mattes/{matte_id}/shapes/{piece_id}/fit", {
          params: { path: { shot_id: id!, matte_id: matte.id, piece_id: piece.id }, query: { frame, revision } },
        }),
      ),
    step,
  );
  if (!shot || !stored) return null;
  const worst = found.reduce<OutlineFit | null>((w, f) => ((f.off_px ?? 0) > (w?.off_px ?? 0) ? f : w), null);
  const x = (f: number) => (f / shot.frames) * 1000;
  const wide = ((step * 1000) / shot.frames + 0.3).toFixed(2);
  const tall = (f: OutlineFit) => (-24 * Math.min(1, f.off_px! / TALL_PX)).toFixed(1);
  const bars = found.filter((f) => f.off_px).map((f) => `M${x(f.frame).toFixed(1)} 26v${tall(f)}h${wide}V26z`);
  const where = worst?.off_px ? `worst at ${worst.frame}, about ${worst.off_px.toFixed(0)} pixels` : "nowhere";
  return (
    <>
      <Row name={`fit: ${piece.name}`} mark="text-matte">
        {found.length > 0 && (
          <svg
            viewBox="0 0 1000 26"
            preserveAspectRatio="none"
            className="absolute inset-0 h-full w-full"
            role="img"
            data-testid="fit"
            data-frames={found.length}
            aria-label={`How far ${piece.name} is off: ${where}`}
          >
            <path d={bars.join("")} fill="#d9734f" opacity={stale ? 0.25 : 0.65} />
            {piece.outline.keys.map((k) => (
              <path
                key={k.frame}
                d={`M${x(k.frame + 0.5)} 0v26`}
                stroke="#e6e4df"
                strokeWidth="2"
                vectorEffect="non-scaling-stroke"
              />
            ))}
          </svg>
        )}
        {!found.length && (
          <span className="absolute inset-0 flex items-center pl-3 text-small text-quiet">
            how far the edges it lay on in its keys have moved away from it
          </span>
        )}
      </Row>
      <div className="flex h-[26px] items-center gap-1.5 pl-[124px] text-small">
        {running ? (
          <button className="btn py-0" onClick={stop}>
            Stop
          </button>
        ) : (
          <button
            className="btn py-0"
            title="Compares the plate along the outline with how it was in its keys"
            onClick={() => void run()}
          >
            {found.length ? "look again" : "look where it fits worst"}
          </button>
        )}
        {!running && worst?.off_px ? (
          <button className="btn py-0" onClick={() => seek(worst.frame)}>
            {stale ? "was " : ""}worst at <span className="mono">{worst.frame}</span>, about{" "}
            <span className="mono">{worst.off_px.toFixed(0)}</span> px off
          </button>
        ) : null}
        {!running && found.length > 0 && !worst?.off_px && (
          <span className="text-quiet">it fits wherever that can be told</span>
        )}
      </div>
    </>
  );
}
