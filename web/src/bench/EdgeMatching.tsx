import { useState } from "react";
import { api, got } from "../api/client";
import { setValue } from "../document/ops";
import type { Layer, Op, Shot } from "../document/types";
import { useBench } from "../state/bench";
import { Tip } from "../ui/Tip";
import { addKind } from "./Chain";
import { meetingsOf } from "../document/layers";

interface EdgeMatch { own_px: number; around_px: number; soften_px: number }

/** Measures how soft the edge of an insert must be, and gives it an edge so soft. */
export function EdgeMatching({ layer }: { layer: Layer }) {
  const { id, stored, shot, frame, commit, say } = useBench();
  const [told, setTold] = useState<EdgeMatch | null>(null);
  const [busy, setBusy] = useState(false);
  if (!shot || !stored) return null;
  const match = async () => {
    setBusy(true);
    try {
      await useBench.getState().landed();
      const found = await got<EdgeMatch>(api.GET("/api/shots/{shot_id}/layers/{layer_id}/edge", { params: { path: { shot_id: id!, layer_id: layer.id }, query: { frame, revision: useBench.getState().stored!.revision } } }));
      setTold(found);
      await commit(`match the edge of ${layer.name} to what lies behind`, softened(useBench.getState().shot!, layer.id, frame, found.soften_px));
    } catch (error) {
      say((error as Error).message);
    }
    setBusy(false);
  };
  return (
    <>
      <div className="flex items-center gap-2 py-1">
        <Tip text="Measures how soft the edges behind it are, and softens its own edge to that"><button className="btn" disabled={busy} onClick={() => void match()}>Match the edge to what lies behind</button></Tip>
      </div>
      {told && <p className="pb-1 text-quiet" role="status">Its edge is <b className="mono">{told.own_px.toFixed(1)}</b> px soft, edges behind it <b className="mono">{told.around_px.toFixed(1)}</b> px{told.soften_px > 0 ? "" : ": it needs no softening"}.</p>}
    </>
  );
}

function softened(shot: Shot, id: string, frame: number, px: number): Op[] {
  const layer = shot.layers[id];
  const edge = meetingsOf(layer).find((m) => m.kind === "edge");
  if (edge) return setValue(shot, `/layers/${id}/meets/${edge.id}/soften`, frame, px);
  return px > 0 ? addKind(layer, "meets", "edge", { soften: { value: px, keys: [] } }) : [];
}
