import { chosenText } from "../ui/classes";
import { useRef, useState } from "react";
import {
  bounds,
  components,
  handlePoints,
  namesOf,
  pulled,
  speed,
  trace,
  withComponent,
  type Plotted,
} from "../document/curves";
import { sample } from "../document/animate";
import { at } from "../document/ops";
import type { Key, Op, Vec2 } from "../document/types";
import { useBench, usePick } from "../state/bench";
import { useAxis } from "./axis";
import type { Named } from "../document/names";

const DASH = ["", "7 4", "2 3"];
const HEIGHT = 160;

type Held = { what: "key" | 0 | 1; key: number; component: number };

const MARK = ["border-ink bg-ground", "border-brass bg-brass"]; // of a key, plain and selected
const SHARP: string[] = ["hold", "linear"]; // eases whose keys are drawn with corners

/** Keyed parameters as curves over time, one at a time: its keys are dragged in time and value, its handles pulled. */
export function Curves({ keyed }: { keyed: Named[] }) {
  const { shot, frame, keys: chosen } = usePick("shot", "frame", "keys");
  const [wanted, setWanted] = useState<string | null>(null);
  const [asSpeed, setAsSpeed] = useState(false);
  if (!shot) return null;
  const named = keyed.find((k) => k.path === (wanted ?? chosen[0]?.path)) ?? keyed[0];
  if (!named)
    return (
      <p className="py-2 pl-[124px] text-quiet">
        No keyed number to draw: the diamond before a parameter keys it at this frame.
      </p>
    );
  return (
    <div className="flex min-h-0 flex-1">
      <div
        className="flex w-[112px] shrink-0 flex-col overflow-y-auto border-r border-line"
        role="listbox"
        aria-label="Parameter to draw"
      >
        {keyed.map((k) => (
          <button
            key={k.path}
            role="option"
            aria-selected={k.path === named.path}
            title={k.title}
            className={`truncate py-0.5 pl-3 text-left text-small ${chosenText(k.path === named.path)}`}
            onClick={() => setWanted(k.path)}
          >
            {k.title}
          </button>
        ))}
        <button
          className={`mt-auto truncate border-t border-line py-1 pl-3 text-left text-small ${asSpeed ? "text-brass" : "text-quiet"}`}
          aria-pressed={asSpeed}
          title="Draw the change a second instead of the value"
          onClick={() => setAsSpeed(!asSpeed)}
        >
          as speed
        </button>
      </div>
      <Graph key={named.path} named={named} frame={frame} asSpeed={asSpeed} />
    </div>
  );
}

function Graph({ named, frame, asSpeed }: { named: Named; frame: number; asSpeed: boolean }) {
  const { shot, keys: chosen, set, draft, commit } = usePick("shot", "keys", "set", "draft", "commit");
  const { fps, frames } = useAxis();
  const box = useRef<SVGSVGElement>(null);
  const held = useRef<(Held & { range: Vec2 }) | null>(null);
  if (!shot) return null;
  const parameter = named.parameter;
  const n = components(parameter.keys[0].value).length;
  const values = Array.from({ length: n }, (_, i) => trace(parameter, i, 0, frames - 1));
  const curves = asSpeed ? values.map((v) => speed(v, fps)) : values;
  const range = held.current?.range ?? bounds([...curves, ...(asSpeed ? [] : handleCurves(parameter.keys, n))]);
  const x = (f: number) => ((f + 0.5) / frames) * 1000;
  const y = (v: number) => (1 - (v - range[0]) / (range[1] - range[0])) * HEIGHT;
  const digits = range[1] - range[0] > 20 ? 0 : range[1] - range[0] > 2 ? 1 : 2;
  const selected = (k: Key) => chosen.some((r) => r.path === named.path && r.frame === k.frame);
  const here = (e: React.PointerEvent): Vec2 => {
    const r = box.current!.getBoundingClientRect();
    return [
      ((e.clientX - r.left) / r.width) * frames - 0.5,
      range[1] - ((e.clientY - r.top) / r.height) * (range[1] - range[0]),
    ];
  };
  const stored = () => at<Plotted>(useBench.getState().base!, named.path).keys;
  /** The keys with the held one pulled to a place; a key stays between its neighbours. */
  const changed = (h: Held, to: Vec2): Key[] => {
    const all = stored();
    const key = all[h.key];
    if (h.what !== "key")
      return all.map((k, i) =>
        i === h.key ? { ...k, ease: "bezier", handles: pulled(k, all[i + 1], h.component, h.what as 0 | 1, to) } : k,
      );
    const low = h.key ? all[h.key - 1].frame + 1 : 0;
    const high = h.key < all.length - 1 ? all[h.key + 1].frame - 1 : frames - 1;
    const value = withComponent(key.value, h.component, Number(to[1].toFixed(4)));
    return all.map((k, i) =>
      i === h.key ? { ...k, frame: Math.min(Math.max(Math.round(to[0]), low), high), value } : k,
    );
  };
  const ops = (next: Key[]): Op[] => [{ op: "replace", path: `${named.path}/keys`, value: next }];
  const grip = (h: Held) => ({
    onPointerDown: (e: React.PointerEvent) => {
      if (e.button !== 0) return;
      e.stopPropagation();
      e.currentTarget.setPointerCapture(e.pointerId);
      held.current = { ...h, range };
      set({ keys: [{ path: named.path, frame: parameter.keys[h.key].frame }] });
    },
    onPointerMove: (e: React.PointerEvent) => {
      if (!held.current) return;
      const next = changed(held.current, here(e));
      draft(ops(next));
      set({ keys: [{ path: named.path, frame: next[held.current.key].frame }] });
    },
    onPointerUp: (e: React.PointerEvent) => {
      const h = held.current;
      held.current = null;
      if (h && useBench.getState().dragged.length)
        void commit(
          h.what === "key" ? `move a key of ${named.title}` : `shape the ease of ${named.title}`,
          ops(changed(h, here(e))),
        );
    },
  });
  const nudge = (h: Held, by: Vec2) => {
    const key = parameter.keys[h.key];
    const from: Vec2 =
      h.what === "key"
        ? [key.frame, components(key.value)[h.component]]
        : handlePoints(key, parameter.keys[h.key + 1], h.component)[h.what];
    void commit(
      h.what === "key" ? `move a key of ${named.title}` : `shape the ease of ${named.title}`,
      ops(changed(h, [from[0] + by[0], from[1] + by[1]])),
    );
  };
  const arrows = (h: Held) => (e: React.KeyboardEvent) => {
    const step = (range[1] - range[0]) / 100;
    const by = (
      { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, step], ArrowDown: [0, -step] } as Record<string, Vec2>
    )[e.key];
    if (!by) return;
    e.preventDefault();
    e.stopPropagation();
    nudge(h, by);
  };
  const lines = [
    range[0] + (range[1] - range[0]) * 0.08,
    (range[0] + range[1]) / 2,
    range[1] - (range[1] - range[0]) * 0.08,
  ];
  const now = components(sample<unknown>(parameter, frame));
  const names = namesOf(named.path, n);
  return (
    <div className="relative min-w-0 flex-1" data-testid="curves">
      <svg
        ref={box}
        viewBox={`0 0 1000 ${HEIGHT}`}
        preserveAspectRatio="none"
        className="absolute inset-0 h-full w-full touch-none"
        role="group"
        aria-label={`${named.title} over time`}
      >
        {lines.map((v) => (
          <path key={v} d={`M0 ${y(v)}H1000`} stroke="#303030" vectorEffect="non-scaling-stroke" />
        ))}
        {curves.map((points, i) => (
          <polyline
            key={i}
            points={points.map((p) => `${x(p[0]).toFixed(2)},${y(p[1]).toFixed(2)}`).join(" ")}
            fill="none"
            stroke={i ? "#b4b0a8" : "#e6e4df"}
            strokeWidth="1.5"
            strokeDasharray={DASH[i]}
            vectorEffect="non-scaling-stroke"
          />
        ))}
      </svg>
      {lines.map((v) => (
        <span
          key={v}
          className="mono pointer-events-none absolute right-1 -translate-y-full text-[11px] text-quiet"
          style={{ top: `${(y(v) / HEIGHT) * 100}%` }}
        >
          {v.toFixed(digits)}
        </span>
      ))}
      <span className="mono pointer-events-none absolute top-1 left-2 z-10 rounded bg-ground/80 px-1 text-small text-quiet">
        {asSpeed ? "change a second" : now.map((v, i) => `${names[i]} ${v.toFixed(2)}`).join("   ")}
      </span>
      {!asSpeed &&
        parameter.keys.map((k, i) =>
          components(k.value).map((v, c) => {
            const next = parameter.keys[i + 1];
            const handles = next && selected(k) && k.ease === "bezier" ? handlePoints(k, next, c) : [];
            const spot = (p: Vec2) => ({ left: `${x(p[0]) / 10}%`, top: `${(y(p[1]) / HEIGHT) * 100}%` });
            return (
              <span key={`${i}-${c}`}>
                {handles.map((p, which) => (
                  <span key={which}>
                    <svg
                      viewBox={`0 0 1000 ${HEIGHT}`}
                      preserveAspectRatio="none"
                      className="pointer-events-none absolute inset-0 h-full w-full"
                    >
                      <path
                        d={`M${x(which ? next.frame : k.frame)} ${y(which ? components(next.value)[c] : v)}L${x(p[0])} ${y(p[1])}`}
                        stroke="#c7a252"
                        vectorEffect="non-scaling-stroke"
                      />
                    </svg>
                    <button
                      className="handle-mark"
                      style={spot(p)}
                      aria-label={`${which ? "Arriving" : "Leaving"} handle of the key at ${k.frame}${n > 1 ? `, ${names[c]}` : ""}`}
                      {...grip({ what: which as 0 | 1, key: i, component: c })}
                      onKeyDown={arrows({ what: which as 0 | 1, key: i, component: c })}
                    />
                  </span>
                ))}
                <button
                  className={`key-mark ${SHARP.includes(k.ease) ? "" : "rounded-full"} ${MARK[selected(k) ? 1 : 0]}`}
                  style={spot([k.frame, v])}
                  aria-label={`Key at ${k.frame}${n > 1 ? `, ${names[c]}` : ""}: ${v.toFixed(2)}, ${k.ease}`}
                  aria-pressed={selected(k)}
                  {...grip({ what: "key", key: i, component: c })}
                  onKeyDown={arrows({ what: "key", key: i, component: c })}
                  onFocus={() => !selected(k) && set({ keys: [{ path: named.path, frame: k.frame }] })}
                  onDoubleClick={() =>
                    void commit(
                      `shape the ease of ${named.title}`,
                      ops(
                        stored().map((o, j) =>
                          j === i ? { ...o, ease: o.ease === "bezier" ? "smooth" : "bezier" } : o,
                        ),
                      ),
                    )
                  }
                  title="Drag in time and value; double-click to shape its ease"
                />
              </span>
            );
          }),
        )}
    </div>
  );
}

/** Handles count for the range, so that none lies outside the drawing. */
function handleCurves(keys: Key[], n: number): Vec2[][] {
  const shaped = keys
    .slice(0, -1)
    .map((k, i) => [k, keys[i + 1]] as const)
    .filter(([k]) => k.ease === "bezier");
  return shaped.flatMap(([k, next]) => Array.from({ length: n }, (_, c) => handlePoints(k, next, c) as Vec2[]));
}
