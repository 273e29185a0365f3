import { useState } from "react";
import { api, got, useAbout } from "../api/client";
import type { Layer, Op, Reading } from "../document/types";
import { useBench, usePick } from "../state/bench";
import { Tip } from "../ui/Tip";

/** Measures how an insert differs from what lies around it, and mends that with an ordinary edit. */
export function Measures({ layer }: { layer: Layer }) {
  const { id, stored, frame, commit, say } = usePick("id", "stored", "frame", "commit", "say");
  // the sit check has them all: here stand those that a meeting mends
  const measures = (useAbout().data?.measures ?? []).filter((m) => m.by_meeting);
  const [told, setTold] = useState<Reading | null>(null);
  const [busy, setBusy] = useState(false);
  if (!stored) return null;
  const match = async (measure: string) => {
    setBusy(true);
    try {
      await useBench.getState().landed();
      const { revision } = useBench.getState().stored!;
      const params = { path: { shot_id: id!, layer_id: layer.id, measure }, query: { frame, revision } };
      const found = await got<Reading>(
        api.GET("/api/shots/{shot_id}/layers/{layer_id}/measures/{measure}", { params }),
      );
      setTold(found);
      if (found.fix) await commit(found.fix.label, found.fix.patch as unknown as Op[]);
    } catch (error) {
      say((error as Error).message);
    }
    setBusy(false);
  };
  return (
    <>
      <div className="flex flex-wrap items-center gap-2 py-1">
        {measures.map((m) => (
          <Tip key={m.kind} text={m.help}>
            <button className="btn" disabled={busy} onClick={() => void match(m.kind)}>
              {m.act}
            </button>
          </Tip>
        ))}
      </div>
      {told && (
        <p className="pb-1 text-quiet" role="status">
          {told.words}
        </p>
      )}
    </>
  );
}
