import { Check, RotateCw, X } from "lucide-react";
import { useCallback, useEffect, useRef, useState } from "react";
import { api, got, useAbout } from "../api/client";
import type { components } from "../api/schema.d";
import { hasPicture } from "../document/layers";
import type { Layer, Op } from "../document/types";
import { useBench, usePick } from "../state/bench";
import { workOn } from "../tools/matching";
import { Tip } from "../ui/Tip";

type Sat = components["schemas"]["Sat"];
interface Row {
  sat: Sat;
  revision: number;
}
const AT_MOST = 3; // limits that a bar shows
const PLOT = { w: 120, h: 26 };

/** Whether an insert sits in its plate: every measure over time against the limit of the visible, worst first, with what mends it. */
export function SitCheck({ height }: { height: number }) {
  const { selection, base: shot, set } = usePick("selection", "base", "set");
  const layer = selection.kind === "layer" ? shot?.layers[selection.id] : undefined;
  const insert = layer && hasPicture(layer) && layer.id !== shot?.plate ? layer : undefined;
  return (
    <section
      aria-label="Sit check"
      className="flex shrink-0 flex-col border-t border-line px-3 py-1.5"
      style={{ height }}
    >
      {insert ? (
        <Checked key={insert.id} layer={insert} close={() => set({ lanesAs: "lanes" })} />
      ) : (
        <div className="flex items-center gap-3">
          <p className="flex-1 py-1 text-quiet">Select an insert to see whether it sits in its plate.</p>
          <Close close={() => set({ lanesAs: "lanes" })} />
        </div>
      )}
    </section>
  );
}

function Close({ close }: { close: () => void }) {
  return (
    <Tip text="Back to lanes" keys="Shift+I">
      <button className="icon-btn" aria-label="Put the sit check away" onClick={close}>
        <X size={13} />
      </button>
    </Tip>
  );
}

async function measured(layer: string, measure: string): Promise<Row> {
  await useBench.getState().landed();
  const { id, stored } = useBench.getState();
  const sat = await got<Sat>(
    api.GET("/api/shots/{shot_id}/layers/{layer_id}/sit/{measure}", {
      params: { path: { shot_id: id!, layer_id: layer, measure }, query: { revision: stored!.revision } },
    }),
  );
  return { sat, revision: stored!.revision };
}

/** Measures one after another, so that the first are seen soon; what was begun before is given up. */
function useChecked(layer: string, measures: string[]) {
  const [rows, setRows] = useState<Record<string, Row>>({});
  const [left, setLeft] = useState<string[]>([]);
  const run = useRef(0);
  const say = useBench((s) => s.say);
  const check = useCallback(
    async (wanted: string[]) => {
      const mine = ++run.current;
      setLeft(wanted);
      for (const [i, measure] of wanted.entries()) {
        try {
          const row = await measured(layer, measure);
          if (run.current !== mine) return;
          setRows((r) => ({ ...r, [measure]: row }));
        } catch (error) {
          if (run.current === mine) say((error as Error).message);
          setLeft([]);
          return;
        }
        setLeft(wanted.slice(i + 1));
      }
    },
    [layer, say],
  );
  const key = measures.join(" ");
  useEffect(() => {
    if (key) void check(key.split(" "));
    const mine = run;
    return () => {
      mine.current++;
    };
  }, [key, check]);
  return { rows, left, check, stop: () => (run.current++, setLeft([])) };
}

function Checked({ layer, close }: { layer: Layer; close: () => void }) {
  const { stored, commit, say } = usePick("stored", "commit", "say");
  const about = useAbout().data?.measures ?? [];
  const measures = about.map((m) => m.kind);
  const { rows, left, check, stop } = useChecked(layer.id, measures);
  const [mending, setMending] = useState(false);
  const all = Object.values(rows).map((r) => r.sat);
  const shows = all.filter((s) => s.visible);
  const untold = all.filter((s) => !s.judged && s.offs.every((o) => o === null));
  const order = [...all].sort((a, b) => rank(a) - rank(b) || times(b) - times(a));
  const old = left.length === 0 && all.length > 0 && Object.values(rows).some((r) => r.revision !== stored?.revision);
  const mend = async (sat: Sat) => {
    if (sat.work) return void workOn(sat.work, layer.id);
    if (!sat.fix) return;
    await commit(sat.fix.label, sat.fix.patch as unknown as Op[]);
    await check([sat.measure]);
  };
  const mendAll = async () => {
    setMending(true);
    try {
      for (const measure of measures) {
        if (!rows[measure]?.sat.visible) continue;
        const { sat } = await measured(layer.id, measure); // what was mended before may have changed it
        if (sat.visible && sat.fix) await commit(sat.fix.label, sat.fix.patch as unknown as Op[]);
      }
      await check(measures);
    } catch (error) {
      say((error as Error).message);
    }
    setMending(false);
  };
  const mendable = shows.filter((s) => s.fix);
  return (
    <>
      <div className="flex h-7 items-center gap-2.5 text-small">
        <span className="min-w-0 flex-1 truncate" role="status">
          {headline(layer.name, all, shows, left)}
          {untold.length > 0 && left.length === 0 && (
            <span className="text-quiet"> Not judged: {untold.map((s) => s.title.toLowerCase()).join(", ")}.</span>
          )}
        </span>
        {left.length > 0 && (
          <>
            <progress max={measures.length} value={measures.length - left.length} className="w-24" />
            <button className="btn" onClick={stop}>
              Stop
            </button>
          </>
        )}
        {left.length === 0 && mendable.length > 1 && (
          <button className="btn" disabled={mending} onClick={() => void mendAll()}>
            Mend all {mendable.length}
          </button>
        )}
        {left.length === 0 && (
          <button
            className={`btn flex items-center gap-1.5 ${old ? "border-brass" : ""}`}
            onClick={() => void check(measures)}
          >
            <RotateCw size={12} /> {old ? "Changed since: again" : "Again"}
          </button>
        )}
        <Close close={close} />
      </div>
      <div className="min-h-0 flex-1 overflow-y-auto">
        {order.map((sat) => (
          <SatRow key={sat.measure} sat={sat} layer={layer} mend={() => void mend(sat)} />
        ))}
      </div>
    </>
  );
}

const times = (s: Sat) => Math.max(0, ...s.offs.map((o) => Math.abs(o ?? 0))) / (s.limit || 1);
const rank = (s: Sat) => (s.visible ? 0 : s.judged ? 1 : 2);

function headline(name: string, all: Sat[], shows: Sat[], left: string[]): string {
  if (left.length) return `Looking at ${name} against its plate…`;
  if (!all.length) return "";
  if (!shows.length) return `${name} sits: nothing that was measured shows.`;
  return `${name} shows by ${shows.map((s) => s.title.toLowerCase()).join(", ")}.`;
}

function SatRow({ sat, layer, mend }: { sat: Sat; layer: Layer; mend: () => void }) {
  const { stored, frame, set } = usePick("stored", "frame", "set");
  const told = sat.offs.some((o) => o !== null);
  const small = `/api/shots/${stored?.id}/frame/${sat.worst}.jpg?revision=${stored?.revision}&width=96&about=${layer.id}`;
  return (
    <div
      className="flex h-10 items-center gap-3 border-t border-line/60"
      role="group"
      aria-label={sat.title}
      data-visible={sat.visible}
    >
      <span className={`w-[108px] shrink-0 truncate ${sat.visible ? "text-warn" : ""}`}>{sat.title}</span>
      <Bar sat={sat} told={told} />
      <Plot sat={sat} frame={frame} />
      <span
        className={`line-clamp-2 min-w-0 flex-1 text-small leading-4 ${sat.visible ? "" : "text-quiet"}`}
        title={sat.words}
      >
        {sat.words}
      </span>
      {sat.visible && (
        <Tip text={`Go to frame ${sat.worst}, where it shows`}>
          <button
            className="shrink-0"
            aria-label={`Where: frame ${sat.worst}`}
            onClick={() => set({ frame: sat.worst })}
          >
            <img src={small} alt="" className="h-9 w-16 rounded border border-line object-cover" />
          </button>
        </Tip>
      )}
      {sat.visible && sat.mends ? (
        <button
          className="btn w-[172px] shrink-0 px-2 py-0.5 text-left text-small leading-4 whitespace-normal!"
          title={sat.mends}
          onClick={mend}
        >
          {sat.mends}
        </button>
      ) : (
        <span className="flex w-[172px] shrink-0 items-center gap-1 text-quiet">
          {sat.visible ? (
            "to be mended by hand"
          ) : sat.judged ? (
            <>
              <Check size={13} /> sits
            </>
          ) : (
            "not judged"
          )}
        </span>
      )}
    </div>
  );
}

/** How far off it is at worst; the line is where it begins to show. */
function Bar({ sat, told }: { sat: Sat; told: boolean }) {
  const worst = sat.offs[sat.frames.indexOf(sat.worst)] ?? 0;
  const far = Math.min(Math.abs(worst) / (sat.limit || 1), AT_MOST) / AT_MOST;
  return (
    <span className="flex shrink-0 items-center gap-2">
      <span className="mono w-[92px] text-right whitespace-nowrap text-quiet">
        {told ? `${worst > 0 ? "+" : ""}${worst.toFixed(2)} ${sat.unit}` : "–"}
      </span>
      <span className="relative block h-2.5 w-[84px] rounded-sm bg-ground">
        {told && (
          <span
            className={`absolute inset-y-0 left-0 rounded-sm ${sat.visible ? "bg-warn" : "bg-[#6d6a64]"}`}
            style={{ width: `${far * 100}%` }}
          />
        )}
        <span className="absolute -inset-y-1 w-px bg-ink" style={{ left: `${100 / AT_MOST}%` }} />
      </span>
    </span>
  );
}

/** Over time, the band of what does not show in the middle. */
function Plot({ sat, frame }: { sat: Sat; frame: number }) {
  const [first, last] = [sat.frames[0], sat.frames[sat.frames.length - 1]];
  const reach = Math.max(2 * sat.limit, ...sat.offs.map((o) => Math.abs(o ?? 0))) || 1;
  const x = (f: number) => (last === first ? 0.5 : (f - first) / (last - first)) * (PLOT.w - 6) + 3;
  const y = (v: number) => PLOT.h / 2 - (v / reach) * (PLOT.h / 2 - 2);
  const points = sat.frames.flatMap((f, i) => (sat.offs[i] === null ? [] : [[x(f), y(sat.offs[i]!)]]));
  const here = frame >= first && frame <= last ? x(frame) : null;
  return (
    <svg
      width={PLOT.w}
      height={PLOT.h}
      className="shrink-0 rounded bg-ground"
      role="img"
      aria-label={`${sat.title} over time`}
    >
      <rect
        x="0"
        width={PLOT.w}
        y={y(sat.limit)}
        height={y(-sat.limit) - y(sat.limit)}
        fill="#ffffff"
        fillOpacity=".07"
      />
      <line x1="0" x2={PLOT.w} y1={PLOT.h / 2} y2={PLOT.h / 2} stroke="#fff" strokeOpacity=".15" />
      <polyline
        points={points.map((p) => p.join(",")).join(" ")}
        fill="none"
        stroke={sat.visible ? "#e08763" : "#a9a6a0"}
        strokeWidth="1.4"
      />
      {points.map(([px, py]) => (
        <circle key={px} cx={px} cy={py} r="1.6" fill={sat.visible ? "#e08763" : "#a9a6a0"} />
      ))}
      {here !== null && <line x1={here} x2={here} y1="0" y2={PLOT.h} stroke="#c7a252" strokeOpacity=".8" />}
    </svg>
  );
}
