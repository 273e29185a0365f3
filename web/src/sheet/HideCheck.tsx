import { useState } from "react";
import { api, got } from "../api/client";
import type { Matte, Track } from "../document/types";
import { usePick } from "../state/bench";
import { Section } from "./Section";
import { useEveryFrame } from "../tools/useEveryFrame";
import { Choose } from "../ui/Choose";

interface Guarded {
  frame: number;
  state: "hidden" | "shows" | "unsure";
  shows: number;
}

/** Checks over all frames that the matte covers a tracked face with a margin, and lists every frame where it does not. */
export function HideCheck({ matte, faces }: { matte: Matte; faces: Track[] }) {
  const { id, stored, base: shot, seek } = usePick("id", "stored", "base", "seek");
  const [track, setTrack] = useState(faces[0].id);
  const check = useEveryFrame((frame, revision) =>
    got<Guarded>(
      api.GET("/api/shots/{shot_id}/mattes/{matte_id}/guard", {
        params: { path: { shot_id: id!, matte_id: matte.id }, query: { track, frame, revision } },
      }),
    ),
  );
  if (!shot || !stored) return null;
  const [first, last] = shot.trim;
  const { running, current } = check;
  const found = check.found.filter((g) => g.state !== "hidden");
  const stretches = stretchesOf(found);
  return (
    <Section
      title="Hides a face"
      note={
        running
          ? `${check.found.length} of ${last - first + 1}`
          : current
            ? found.length
              ? `${found.length} frames to look at`
              : "nothing leaks"
            : undefined
      }
    >
      <div className="flex items-center gap-2 py-1">
        {faces.length > 1 && (
          <Choose
            className="flex-1"
            label="Which face"
            value={track}
            choices={faces.map((f) => ({ id: f.id, label: f.name }))}
            set={setTrack}
          />
        )}
        {running ? (
          <button className="btn" onClick={check.stop}>
            Stop
          </button>
        ) : (
          <button className="btn" onClick={() => void check.run()}>
            Check every frame
          </button>
        )}
        {running && (
          <progress
            className="min-w-0 flex-1"
            aria-label="Checking"
            max={last - first + 1}
            value={check.found.length}
          />
        )}
      </div>
      {current && !found.length && (
        <p role="status">
          The matte covers {faces.find((f) => f.id === track)?.name} with a margin in all {last - first + 1} frames.
        </p>
      )}
      {check.stale && !running && <p className="text-quiet">The shot has changed since: check again.</p>}
      {stretches.length > 0 && (
        <ul aria-label="Frames that leak" className="flex flex-wrap gap-1.5 py-1">
          {stretches.map((s) => (
            <li key={s.from}>
              <button
                className={`btn mono py-0.5 ${s.state === "shows" ? "border-warn text-warn" : ""}`}
                title={
                  s.state === "shows"
                    ? `up to ${Math.ceil(s.most * 100)} % of the face shows`
                    : "the face was lost here: look for yourself"
                }
                onClick={() => seek(s.from)}
              >
                {s.from === s.to ? s.from : `${s.from}–${s.to}`}
                {s.state === "unsure" ? " ?" : ""}
              </button>
            </li>
          ))}
        </ul>
      )}
    </Section>
  );
}

function stretchesOf(found: Guarded[]): { from: number; to: number; state: Guarded["state"]; most: number }[] {
  const out: { from: number; to: number; state: Guarded["state"]; most: number }[] = [];
  for (const g of found) {
    const before = out.at(-1);
    if (before && before.to === g.frame - 1 && before.state === g.state) {
      before.to = g.frame;
      before.most = Math.max(before.most, g.shows);
    } else out.push({ from: g.frame, to: g.frame, state: g.state, most: g.shows });
  }
  return out;
}
