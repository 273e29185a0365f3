import { useState } from "react";
import { api, got, useAbout } from "../api/client";
import { setValue } from "../document/ops";
import type { Control, FootageLayer } from "../document/types";
import { useBench } from "../state/bench";
import { Tip } from "../ui/Tip";
import { ParamRow } from "./ParamRow";

interface EdgeMatch { own_px: number; around_px: number; soften_px: number }

/** How the edge of an insert meets what lies behind it. */
export function EdgeRows({ layer }: { layer: FootageLayer }) {
  const { id, stored, shot, frame, commit, say } = useBench();
  const edge = useAbout().data?.edge ?? [];
  const [told, setTold] = useState<EdgeMatch | null>(null);
  const [busy, setBusy] = useState(false);
  if (!shot || !stored) return null;
  const path = `/layers/${layer.id}`;
  const match = async () => {
    setBusy(true);
    try {
      await useBench.getState().landed();
      const found = await got<EdgeMatch>(api.GET("/api/shots/{shot_id}/layers/{layer_id}/edge", { params: { path: { shot_id: id!, layer_id: layer.id }, query: { frame, revision: useBench.getState().stored!.revision } } }));
      setTold(found);
      await commit(`match the edge of ${layer.name} to what lies behind`, setValue(useBench.getState().shot!, `${path}/edge_soften`, frame, found.soften_px));
    } catch (error) {
      say((error as Error).message);
    }
    setBusy(false);
  };
  return (
    <>
      {edge.map((c) => <ParamRow key={c.name} control={c as Control} path={`${path}/${c.name}`} owner={layer.name} />)}
      <div className="flex items-center gap-2 py-1">
        <Tip text="Measures how soft the edges behind it are, and softens its own edge to that"><button className="btn" disabled={busy} onClick={() => void match()}>Match the edge to what lies behind</button></Tip>
      </div>
      {told && <p className="pb-1 text-quiet" role="status">Its edge is <b className="mono">{told.own_px.toFixed(1)}</b> px soft, edges behind it <b className="mono">{told.around_px.toFixed(1)}</b> px{told.soften_px > 0 ? "" : ": it needs no softening"}.</p>}
    </>
  );
}
