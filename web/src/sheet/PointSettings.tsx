import { X } from "lucide-react";
import type { PointTrack } from "../document/types";
import { usePick } from "../state/bench";
import { take } from "../tools/actions";
import { dropPoint } from "../tools/tracking";
import { Scrub } from "../ui/Scrub";

const MAY_DIFFER = [
  ["match_light", "light"],
  ["match_turn", "turn and size"],
  ["match_blur", "motion blur"],
] as const;

/** How a point is followed: what of it is looked at, how far, what may differ; and its points. */
export function PointSettings({ track, shutter }: { track: PointTrack; shutter: number | null }) {
  const { base: shot, commit } = usePick("base", "commit");
  const row = (title: string, key: "pattern_px" | "reach_px", hard: [number, number]) => (
    <div className="flex items-center gap-2">
      <span className="flex-1">{title}</span>
      <Scrub
        label={title}
        value={track[key]}
        step={1}
        unit="px"
        digits={0}
        hard={hard}
        onDrag={() => undefined}
        onSet={(v) =>
          void commit(`set the ${title.toLowerCase()} of ${track.name}`, [
            { op: "replace", path: `/tracks/${track.id}/${key}`, value: Math.round(v) },
          ])
        }
      />
    </div>
  );
  return (
    <>
      {row("Pattern", "pattern_px", [7, 60])}
      {row("Reach", "reach_px", [8, 200])}
      <fieldset className="flex flex-wrap gap-x-3 gap-y-1 py-1">
        <legend className="text-quiet">May differ from the reference</legend>
        {MAY_DIFFER.map(([key, label]) => (
          <label key={key} className="flex items-center gap-1.5">
            <input
              type="checkbox"
              checked={track[key]}
              onChange={(e) =>
                void commit(`${e.target.checked ? "match" : "do not match"} ${label} with ${track.name}`, [
                  { op: "replace", path: `/tracks/${track.id}/${key}`, value: e.target.checked },
                ])
              }
            />
            {label}
          </label>
        ))}
      </fieldset>
      {shutter !== null && (
        <div className="flex items-center gap-2 py-0.5">
          <span className="flex-1" title="How long the shutter was open, read from the motion blur">
            Shutter <span className="mono">{shutter.toFixed(0)}°</span>
          </span>
          <button
            className="btn py-0"
            disabled={shot?.shutter_deg === Math.round(shutter)}
            onClick={() =>
              void commit("take the plate's shutter for the shot", [
                { op: "replace", path: "/shutter_deg", value: Math.round(shutter) },
              ])
            }
          >
            Take it for the shot
          </button>
        </div>
      )}
      <div className="flex items-center gap-2 py-1">
        <span className="flex-1 text-quiet">
          {track.order.length > 1
            ? `${track.order.length} points: turn and size too`
            : "A second point adds turn and size"}
        </span>
        <button className="btn py-0" onClick={() => take("more")}>
          Add a point
        </button>
      </div>
      {track.order.length > 1 && (
        <div className="flex flex-wrap items-center gap-1 py-1" role="group" aria-label="Its points">
          {track.order.map((id, i) => (
            <span key={id} className="flex items-center gap-1 rounded-sm border border-line pl-1.5 text-[11px]">
              point {i + 1}
              <button
                className="icon-btn"
                aria-label={`Take point ${i + 1} out`}
                title="Take it out, with what was found of it"
                onClick={() => void dropPoint(track, id)}
              >
                <X size={11} />
              </button>
            </span>
          ))}
        </div>
      )}
    </>
  );
}
