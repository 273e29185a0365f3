import { Popover } from "radix-ui";
import { cancelRun, going, useRuns } from "../api/client";
import type { Run } from "../document/types";
import { useUploads } from "../state/uploads";
import { FailedImport } from "./FailedImport";
import { Popped } from "./Popped";

/** Seconds left, from how long what is done took, and of a render its pace; empty while that cannot be told. */
export function timeLeft(run: Run, now = Date.now()): string {
  if (run.state !== "running" || !run.started || run.done < 2 || !run.total)
    return run.state === "finishing" ? "joining" : "";
  const each = (now - Date.parse(run.started)) / 1000 / run.done;
  const seconds = each * (run.total - run.done);
  const left = seconds > 90 ? `${Math.round(seconds / 60)} min left` : `${Math.max(1, Math.round(seconds))} s left`;
  return run.kind === "render" && each > 0 ? `${(1 / each).toFixed(1)} fr/s · ${left}` : left;
}

/** Everything that takes long, in one list, with a cancel each. */
export function WorkList() {
  const all = useRuns().data ?? [];
  const runs = all.filter(going);
  const failed = all.filter((r) => r.kind === "ingest" && r.state === "failed");
  const uploads = useUploads((s) => s.list);
  const count = runs.length + uploads.length;
  return (
    <Popover.Root>
      <Popover.Trigger
        className={`btn ${failed.length ? "border-warn text-warn" : count ? "border-brass text-brass" : "text-quiet"}`}
        title="Imports, tracks and renders that are going on, and imports that failed"
      >
        {count ? `work: ${count}` : failed.length ? `failed: ${failed.length}` : "no work"}
      </Popover.Trigger>
      <Popped className="w-80" label="Work going on" align="end" offset={6}>
        {!count && !failed.length && (
          <p className="text-quiet">Nothing is going on. Imports, tracks and renders show here.</p>
        )}
        <ul className="flex flex-col gap-3">
          {uploads.map((u) => (
            <li key={u.id}>
              <WorkRow
                title={`Sending ${u.name}`}
                done={u.share}
                total={1}
                note={`${Math.round(u.share * 100)} %`}
                stop={u.stop}
              />
            </li>
          ))}
          {runs.map((r) => (
            <li key={r.id}>
              <WorkRow
                title={r.title}
                done={r.done}
                total={r.total}
                note={[r.state === "waiting" ? "waiting for a worker" : r.note, timeLeft(r)]
                  .filter(Boolean)
                  .join(" · ")}
                stop={() => void cancelRun(r.id)}
              />
            </li>
          ))}
          {failed.map((r) => (
            <li key={r.id}>
              <FailedImport run={r} />
            </li>
          ))}
        </ul>
      </Popped>
    </Popover.Root>
  );
}

export function WorkRow({
  title,
  done,
  total,
  note,
  stop,
}: {
  title: string;
  done: number;
  total: number;
  note: string;
  stop: () => void;
}) {
  return (
    <div className="flex flex-col gap-1">
      <div className="flex items-center gap-2">
        <span className="min-w-0 flex-1 truncate">{title}</span>
        <button className="btn py-0" onClick={stop}>
          Cancel
        </button>
      </div>
      <progress className="w-full" aria-label={title} max={total || 1} value={total ? done : undefined} />
      <span className="mono text-quiet">
        {total > 1 ? `${done} of ${total} ` : ""}
        {note}
      </span>
    </div>
  );
}
