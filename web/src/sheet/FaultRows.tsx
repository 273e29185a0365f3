import { api, got, useAbout } from "../api/client";
import type { Control, Matte } from "../document/types";
import { usePick } from "../state/bench";
import { ParamRow } from "./ParamRow";
import { Section } from "./Section";
import { useEveryFrame } from "../tools/useEveryFrame";
import { WORD } from "./words";

interface FaultsSeen {
  frame: number;
  holes: number;
  crumbs: number;
  largest_hole_px: number;
  largest_crumb_px: number;
}

/** Holes in what should be solid and crumbs in what should be clear: shown, found in every frame, closed and dropped. */
export function FaultRows({ matte }: { matte: Matte }) {
  const { id, base: shot, view, frame, set, seek } = usePick("id", "base", "view", "frame", "set", "seek");
  const controls = useAbout().data?.matte ?? [];
  const { found, running, current, stale, run, stop } = useEveryFrame((at, revision) =>
    got<FaultsSeen>(
      api.GET("/api/shots/{shot_id}/mattes/{matte_id}/faults", {
        params: { path: { shot_id: id!, matte_id: matte.id }, query: { frame: at, revision } },
      }),
    ),
  );
  if (!shot) return null;
  const [first, last] = shot.trim;
  const most = Math.max(1, ...found.map((f) => Math.max(f.holes, f.crumbs)));
  const worst = (which: "holes" | "crumbs") =>
    found.reduce<FaultsSeen | null>((w, f) => (f[which] > (w?.[which] ?? 0) ? f : w), null);
  const lines = [
    ["holes", worst("holes"), "largest_hole_px"],
    ["crumbs", worst("crumbs"), "largest_crumb_px"],
  ] as const;
  const shown = view === "matte-faults";
  const x = (f: number) => ((f - first) / (last - first + 1)) * 100;
  const bars = (which: "holes" | "crumbs", up: number) =>
    found
      .filter((f) => f[which])
      .map(
        (f) =>
          `M${x(f.frame).toFixed(2)} 20v${(up * (2 + 17 * (f[which] / most))).toFixed(2)}h${(100 / (last - first + 1)).toFixed(3)}V20z`,
      )
      .join("");
  return (
    <Section title="Holes and crumbs" note={running ? `${found.length} of ${last - first + 1}` : undefined}>
      {controls.map((c) => (
        <ParamRow key={c.name} control={c as Control} path={`/mattes/${matte.id}/${c.name}`} owner={matte.name} />
      ))}
      <div className="flex items-center gap-1.5 py-1">
        <button
          className="btn"
          aria-pressed={shown}
          title="In the picture: holes in yellow, crumbs in blue"
          onClick={() => set({ view: shown ? "picture" : "matte-faults" })}
        >
          {shown ? "Hide them" : "Show them"}
        </button>
        {running ? (
          <button className="btn" onClick={stop}>
            Stop
          </button>
        ) : (
          <button className="btn" onClick={() => void run()}>
            {found.length ? "Count again" : "Count in every frame"}
          </button>
        )}
      </div>
      {found.length > 0 && (
        <svg
          viewBox="0 0 100 40"
          preserveAspectRatio="none"
          className={`h-10 w-full cursor-pointer rounded bg-[#1c1c1c] ${stale ? "opacity-40" : ""}`}
          role="img"
          aria-label="Holes above, crumbs below, frame by frame"
          data-testid="faults"
          onClick={(e) => {
            const box = e.currentTarget.getBoundingClientRect();
            seek(first + Math.floor(((e.clientX - box.left) / box.width) * (last - first + 1)));
          }}
        >
          <path d={bars("holes", -1)} fill="#f0c43c" />
          <path d={bars("crumbs", 1)} fill="#60c8d6" />
          <path d="M0 20h100" stroke="#555" strokeWidth="1" vectorEffect="non-scaling-stroke" />
          {frame >= first && frame <= last && (
            <path d={`M${x(frame + 0.5)} 0v40`} stroke="#e6e4df" strokeWidth="1" vectorEffect="non-scaling-stroke" />
          )}
        </svg>
      )}
      {current && (
        <p role="status" className="leading-6">
          {lines.map(([which, at, size]) => (
            <span key={which} className="block">
              {at ? (
                <>
                  Most {which} at{" "}
                  <button className={`${WORD} mono`} title="Go there" onClick={() => seek(at.frame)}>
                    {at.frame}
                  </button>
                  : {at[which]}, up to {at[size].toFixed(0)} px across.
                </>
              ) : (
                `No ${which}.`
              )}
            </span>
          ))}
        </p>
      )}
      {stale && !running && <p className="text-quiet">The shot has changed since: count again.</p>}
    </Section>
  );
}
