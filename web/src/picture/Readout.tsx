import { useEffect, useState } from "react";
import { api, got } from "../api/client";
import type { Vec2 } from "../document/types";
import { usePick } from "../state/bench";

interface Pixel {
  linear: number[];
  display: number[];
}

/** Place and values of the pixel under the pointer, display and linear. */
export function Readout({ at }: { at: Vec2 | null }) {
  const { id, stored, frame, shot, overlay, playing } = usePick("id", "stored", "frame", "shot", "overlay", "playing");
  const [pixel, setPixel] = useState<Pixel | null>(null);
  const inside = at && shot && at[0] >= 0 && at[1] >= 0 && at[0] < shot.size[0] && at[1] < shot.size[1];
  const [x, y] = inside ? [Math.floor(at[0]), Math.floor(at[1])] : [-1, -1];
  useEffect(() => {
    if (x < 0 || !id || !stored || overlay.length || playing) return undefined;
    let gone = false;
    const timer = setTimeout(() => {
      const params = { path: { shot_id: id }, query: { frame, x, y, revision: stored.revision } };
      got<Pixel>(api.GET("/api/shots/{shot_id}/pixel", { params }))
        .then((p) => {
          if (!gone) setPixel(p);
        })
        .catch(() => undefined);
    }, 60);
    return () => {
      gone = true;
      clearTimeout(timer);
    };
  }, [x, y, id, stored, frame, overlay.length, playing]);
  if (!inside) return null;
  return (
    <div
      className="mono pointer-events-none absolute bottom-2 left-2 flex gap-4 rounded bg-black/65 px-2 py-0.5"
      data-testid="readout"
    >
      <span>
        x {at[0].toFixed(1)} y {at[1].toFixed(1)}
      </span>
      {pixel && <span title="display">{pixel.display.map((v) => String(v).padStart(3, " ")).join(" ")}</span>}
      {pixel && (
        <span className="text-quiet" title="linear">
          {pixel.linear.map((v) => v.toFixed(3)).join(" ")}
        </span>
      )}
    </div>
  );
}
