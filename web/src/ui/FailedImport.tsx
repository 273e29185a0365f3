import { answerRun, forgetRun } from "../api/client";
import type { Run } from "../document/types";
import { useBench } from "../state/bench";

const CHOICES: Record<string, string> = { hold: "Hold the picture through them", drop: "Leave the gaps out" };

/** An import that failed, with its reason; or one that asks something first, with its answers. */
export function FailedImport({ run }: { run: Run }) {
  const choices = (run.result.choices as string[] | undefined) ?? [];
  const doing = (work: Promise<void>) => void work.catch((error: Error) => useBench.getState().say(error.message));
  return (
    <div
      role="alert"
      className="flex flex-wrap items-center justify-end gap-2 rounded-lg border border-warn/60 bg-warn/10 p-3"
    >
      <span className="min-w-48 flex-1">
        <b>{run.title}</b> {choices.length ? "" : "failed: "}
        {run.error}
      </span>
      {choices.map((c) => (
        <button key={c} className="btn" onClick={() => doing(answerRun(run.id, c))}>
          {CHOICES[c] ?? c}
        </button>
      ))}
      <button className="btn" onClick={() => doing(forgetRun(run.id))}>
        Put away
      </button>
    </div>
  );
}
