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
  const swept = storage.removed ? `${storage.removed} things nothing needed any more were removed, ${size(storage.freed)}.` : "Nothing had to be removed.";
  return (
    <section aria-label="Space on the disk" className="flex flex-wrap items-baseline gap-x-4 gap-y-1 rounded-lg border border-line bg-surface p-3 text-quiet">
      {storage.at ? (
        <>
          <span>Footage <b className="mono text-ink">{size(storage.media)}</b></span>
          <span>tracks and cut-outs <b className="mono text-ink">{size(storage.tracks)}</b></span>
          <span>renders <b className="mono text-ink">{size(storage.renders)}</b></span>
          <span>free <b className={`mono ${storage.free < 2e9 ? "text-warn" : "text-ink"}`}>{size(storage.free)}</b></span>
          <span className="min-w-0 flex-1">Looked through {new Date(storage.at).toLocaleString()}. {swept}</span>
        </>
      ) : (
        <span className="flex-1">The disk has not been looked through yet; that happens by itself every hour.</span>
      )}
      <button className="btn" onClick={() => void sweep()}>Look through now</button>
      {storage.problems.map((p) => <p key={p} className="w-full text-warn">Could not be removed: {p}</p>)}
    </section>
  );
}
