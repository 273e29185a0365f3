import { Download, Trash2 } from "lucide-react";
import { useEffect, useState } from "react";
import { cancelRun, forgetRun, going, useRuns, useShots } from "../api/client";
import type { Run } from "../document/types";
import { useBench } from "../state/bench";
import { timeLeft } from "../ui/WorkList";
import { Frame } from "./Frame";
import { Space } from "./Space";

const STATES = {
  waiting: "waiting",
  running: "rendering",
  finishing: "joining",
  done: "finished",
  failed: "failed",
  cancelled: "cancelled",
};

/** Every render: what goes on, what is finished and can be looked at, what failed and why. */
export function Renders() {
  const runs = (useRuns().data ?? []).filter((r) => r.kind === "render");
  const shots = useShots().data ?? [];
  const [shown, setShown] = useState<string | null>(null);
  const first = runs.find((r) => r.state === "done" && r.result.playable)?.id ?? null;
  useEffect(() => setShown((s) => s ?? first), [first]);
  const film = runs.find((r) => r.id === shown && r.state === "done");
  return (
    <Frame here="renders">
      <h1 className="sr-only">Renders</h1>
      <div className="mx-auto grid max-w-[1240px] grid-cols-[minmax(0,1fr)_minmax(0,460px)] items-start gap-5">
        <ul className="flex flex-col gap-2">
          {runs.map((r) => (
            <li key={r.id}>
              <RenderRow
                run={r}
                name={shots.find((s) => s.id === r.shot)?.name}
                shown={r.id === shown}
                show={() => setShown(r.id)}
              />
            </li>
          ))}
          {!runs.length && (
            <li className="rounded-xl border border-dashed border-line p-8 text-center text-quiet">
              Nothing has been rendered yet. Open a shot and choose <b className="text-ink">Render</b> at the top right.
            </li>
          )}
        </ul>
        <div className="sticky top-0 flex flex-col gap-3">
          <Space />
          {film && (
            <section aria-label="Finished film" className=" overflow-hidden rounded-xl border border-line bg-surface">
              {film.result.playable ? (
                <video
                  key={film.id}
                  controls
                  loop
                  className="block w-full bg-black"
                  src={`/api/runs/${film.id}/file`}
                />
              ) : (
                <p className="p-6 text-quiet">The browser cannot play this format; download it.</p>
              )}
              <p className="mono px-3 py-2 text-quiet">
                {String(film.result.file)} · {(Number(film.result.bytes) / 1e6).toFixed(1)} MB
              </p>
            </section>
          )}
        </div>
      </div>
    </Frame>
  );
}

function RenderRow({ run, name, shown, show }: { run: Run; name?: string; shown: boolean; show: () => void }) {
  const forget = async () => {
    try {
      await forgetRun(run.id);
    } catch (error) {
      useBench.getState().say((error as Error).message);
    }
  };
  const took =
    run.started && run.finished ? `${((Date.parse(run.finished) - Date.parse(run.started)) / 1000).toFixed(0)} s` : "";
  const s = run.settings;
  return (
    <article className={`rounded-lg border bg-surface p-3 ${shown ? "border-brass" : "border-line"}`}>
      <div className="flex items-center gap-3">
        <div className="min-w-0 flex-1">
          <h2 className="truncate text-large font-semibold">{name ?? run.title.replace("Render ", "")}</h2>
          <p className="mono text-quiet">
            {String(s.format)} · {String(s.first)}–{String(s.last)} · {Number(s.scale) * 100} % ·{" "}
            {new Date(run.created).toLocaleString()}
          </p>
        </div>
        <span className={run.state === "failed" ? "text-warn" : "text-quiet"}>
          {STATES[run.state]}
          {took && ` in ${took}`}
        </span>
        {going(run) && (
          <button className="btn" onClick={() => void cancelRun(run.id)}>
            Cancel
          </button>
        )}
        {run.state === "done" && (
          <>
            <button className="btn" onClick={show} disabled={!run.result.playable}>
              Look
            </button>
            <a className="btn flex items-center gap-1.5" href={`/api/runs/${run.id}/file?download=true`}>
              <Download size={13} /> Download
            </a>
          </>
        )}
        {!going(run) && (
          <button
            className="icon-btn"
            aria-label={`Remove this render of ${name ?? "a shot"}`}
            onClick={() => void forget()}
          >
            <Trash2 size={14} />
          </button>
        )}
      </div>
      {going(run) && (
        <div className="mt-2">
          <progress className="w-full" aria-label={`Progress of ${run.title}`} max={run.total || 1} value={run.done} />
          <p className="mono text-quiet">
            {[`${run.done} of ${run.total} frames`, timeLeft(run)].filter(Boolean).join(" · ")}
          </p>
        </div>
      )}
      {run.error && (
        <p role="alert" className="mt-1 text-warn">
          {run.error}
        </p>
      )}
    </article>
  );
}
