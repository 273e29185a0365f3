import { api, got, queries, useStorage } from "../api/client";
import { useBench } from "../state/bench";

const size = (bytes: number) => (bytes >= 1e9 ? `${(bytes / 1e9).toFixed(1)} GB` : `${Math.round(bytes / 1e6)} MB`);

/** What lies on the disk, and what the last sweep gave back. */
export function Space() {
  const storage = useStorage().data;
  if (!storage) return null;
  const sweep = async () => {
    try {
      await got(api.POST("/api/storage/sweep"));
      await queries.invalidateQueries({ queryKey: ["storage"] });
    } catch (error) {
      useBench.getState().say((error as Error).message);
    }
  };
  const swept = storage.removed
    ? `${storage.removed} things nothing needed any more were removed, ${size(storage.freed)}.`
    : "Nothing had to be removed.";
  const figures: [string, number, boolean?][] = [
    ["footage", storage.media],
    ["tracks, cut-outs", storage.tracks],
    ["renders", storage.renders],
    ["free", storage.free, storage.free < 2e9],
  ];
  return (
    <section aria-label="Space on the disk" className="rounded-lg border border-line bg-surface p-3 text-quiet">
      {storage.at && (
        <dl className="mb-2 grid grid-cols-4 gap-2">
          {figures.map(([name, bytes, low]) => (
            <div key={name}>
              <dt className="text-small">{name}</dt>
              <dd className={`mono text-large ${low ? "text-warn" : "text-ink"}`}>{size(bytes)}</dd>
            </div>
          ))}
        </dl>
      )}
      <div className="flex items-center gap-3">
        <p className="min-w-0 flex-1">
          {storage.at
            ? `Looked through at ${new Date(storage.at).toLocaleTimeString([], { hour: "2-digit", minute: "2-digit" })}. ${swept}`
            : "The disk has not been looked through yet; that happens by itself every hour."}
        </p>
        <button className="btn" onClick={() => void sweep()}>
          Look through now
        </button>
      </div>
      {storage.problems.map((p) => (
        <p key={p} className="mt-2 text-warn">
          Could not be removed: {p}
        </p>
      ))}
    </section>
  );
}
