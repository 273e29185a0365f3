import { cancelRun, going, useRuns } from "../api/client";
import { shotFrame } from "../document/timing";
import type { CutoutPiece, Layer } from "../document/types";
import { usePick } from "../state/bench";
import { Scrub } from "../ui/Scrub";
import { carryCutout, guessPerson, shownFrame, takePen } from "../tools/cutouts";

/** The pens of a cut-out, the frames that have strokes, and carrying it through the shot. */
export function CutoutSection({ matte, piece, path }: { matte: string; piece: CutoutPiece; path: string }) {
  const {
    base: shot,
    tool,
    brush,
    set,
    seek,
    frame,
    commit,
  } = usePick("base", "tool", "brush", "set", "seek", "frame", "commit");
  const every = (useRuns().data ?? []).filter((r) => r.settings.piece === piece.id);
  const runs = every.filter((r) => r.kind === "cutout");
  const guess = every.find((r) => r.kind === "guess");
  const guessing = guess !== undefined && going(guess);
  const run = runs.find(going);
  if (!shot) return null;
  const layer = shot.layers[piece.layer] as Layer;
  const here = shownFrame(shot, piece.layer, frame);
  const drawn = [...new Set(piece.strokes.map((s) => s.frame))].sort((a, b) => a - b);
  const kept = piece.strokes.some((s) => s.keep);
  const failed = (runs[0]?.state === "failed" && runs[0].error) || (guess?.state === "failed" && guess.error) || "";
  const clear = () =>
    void commit(`clear the strokes of ${piece.name} here`, [
      { op: "replace", path: `${path}/strokes`, value: piece.strokes.filter((s) => s.frame !== here) },
    ]);
  return (
    <div className="flex flex-col gap-1.5 py-1">
      <div className="flex gap-1.5">
        <button className="btn flex-1" aria-pressed={tool === "keep"} onClick={() => void takePen("keep")}>
          <span className="mr-1.5 inline-block h-1 w-3 rounded bg-track align-middle" />
          Keep
        </button>
        <button className="btn flex-1" aria-pressed={tool === "remove"} onClick={() => void takePen("remove")}>
          <span className="mr-1.5 inline-block h-1 w-3 rounded bg-warn align-middle" />
          Remove
        </button>
      </div>
      <button
        className="btn"
        disabled={guessing}
        title="Draws the first strokes over and beside whoever is in this frame"
        onClick={() => void guessPerson(matte, piece)}
      >
        {guessing ? "looking for a person…" : "Guess a person in this frame"}
      </button>
      <div className="flex items-center gap-2">
        <span className="flex-1">Width of the pen</span>
        <Scrub
          label="Width of the pen"
          value={brush}
          step={1}
          unit="px"
          digits={0}
          hard={[2, 300]}
          onDrag={(v) => set({ brush: v })}
          onSet={(v) => set({ brush: v })}
        />
      </div>
      <p className="text-quiet">
        {drawn.length
          ? "Strokes at "
          : "No strokes yet: draw over what is to be kept, then beside it over what is not."}
        {drawn.map((f, i) => (
          <span key={f}>
            {i ? ", " : ""}
            <button
              className={`mono underline underline-offset-4 ${f === here ? "text-brass" : ""}`}
              onClick={() => seek(shotFrame(shot, layer, f))}
            >
              {f}
            </button>
          </span>
        ))}
        {drawn.length
          ? piece.samples
            ? "; carried through the shot. More strokes elsewhere mend the stretch around them once it is carried again."
            : "; not carried yet: only frames with strokes show it."
          : ""}
      </p>
      {failed && (
        <p role="alert" className="rounded border border-warn/50 bg-warn/10 px-3 py-2">
          {failed}
        </p>
      )}
      {run ? (
        <>
          <progress className="w-full" aria-label="Carrying" max={run.total || 1} value={run.done} />
          <div className="flex items-center gap-2">
            <span className="mono flex-1 text-quiet">
              {run.state === "waiting" ? "waiting for a worker" : `${run.done} of ${run.total}`}
            </span>
            <button className="btn py-0.5" onClick={() => void cancelRun(run.id)}>
              Stop
            </button>
          </div>
        </>
      ) : (
        <div className="flex gap-1.5">
          <button className="btn btn-main flex-1" disabled={!kept} onClick={() => void carryCutout(matte, piece)}>
            Carry through the shot
          </button>
          {drawn.includes(here) && (
            <button className="btn" onClick={clear}>
              clear here
            </button>
          )}
        </div>
      )}
    </div>
  );
}
