import { Spline } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { useRef, useState } from "react";
import { useAbout, useSamples } from "../api/client";
import { components } from "../document/curves";
import { handSetFrames, marks } from "../document/marks";
import { at, moveKeys } from "../document/ops";
import type { Ease, Key, Layer, Op, Track } from "../document/types";
import { useLiveTracks } from "../live/tracks";
import { fromPlateFrame } from "../document/timing";
import { useBench, type KeyRef, usePick, useShotInTime } from "../state/bench";
import { keepFocus } from "../ui/focus";
import { Tip } from "../ui/Tip";
import { Axis, frameAt } from "./axis";
import { Curves } from "./Curves";
import { FitLane } from "./FitLane";
import { Scopes } from "./Scopes";
import { SitCheck } from "./SitCheck";
import { Row } from "./LaneRow";
import { Pip } from "./Pip";
import { parametersOf, parametersOfMatte, type Named } from "../document/names";
import { hasPlace, piecesOf } from "../document/layers";

const SCOPES_PX = 216;
const SIT_PX = 244;
const CURVES_PX = 210; // curves need room to be read
const EASES: Ease[] = ["hold", "linear", "smooth", "bezier"];

/** Only what the selection has: its span, a lane a keyed parameter, the health of its track. */
export function Lanes({ height }: { height: number }) {
  const shot = useShotInTime();
  const { selection, lanesAs, set } = usePick("selection", "lanesAs", "set");
  const about = useAbout().data;
  if (!shot) return null;
  if (lanesAs === "scopes") return <Scopes height={Math.max(height, SCOPES_PX)} />;
  if (lanesAs === "sit") return <SitCheck height={Math.max(height, SIT_PX)} />;
  const layer = selection.kind === "layer" ? shot.layers[selection.id] : undefined;
  const trackId =
    selection.kind === "track" ? selection.id : layer && hasPlace(layer) ? layer.place.ride?.track : undefined;
  const track = trackId ? shot.tracks[trackId] : undefined;
  const matte = selection.kind === "matte" ? shot.mattes[selection.id] : undefined;
  const named = layer ? parametersOf(layer, about) : matte ? parametersOfMatte(matte, about) : [];
  const keyed = named.filter((p) => p.parameter.keys.length);
  const curves = lanesAs === "curves" && keyed.length > 0;
  return (
    <div className="flex shrink-0 flex-col" style={{ height: curves ? Math.max(height, CURVES_PX) : height }}>
      <div className="relative flex min-h-0 flex-1 flex-col overflow-y-auto" data-testid="lanes">
        {layer && <Span layer={layer} plate={layer.id === shot.plate} />}
        {curves ? (
          <Curves keyed={keyed.filter((p) => components(p.parameter.keys[0].value).length)} />
        ) : (
          keyed.map((p) => <KeyLane key={p.path} named={p} />)
        )}
        {track && !curves && <Health track={track} />}
        {matte &&
          !curves &&
          piecesOf(matte).map((p) => p.kind === "shape" && <FitLane key={p.id} matte={matte} piece={p} />)}
        {layer && !keyed.length && (
          <p className="truncate py-1.5 pl-[124px] text-quiet">
            No keys yet: the pip before a parameter keys it at this frame.
          </p>
        )}
        {matte && !keyed.length && !piecesOf(matte).some((p) => p.kind === "shape") && (
          <p className="truncate py-1.5 pl-[124px] text-quiet">
            No keys yet: key an outline or a parameter of a piece in the sheet, and its lane is here.
          </p>
        )}
        {!layer && !track && !matte && (
          <p className="px-3 py-2 text-quiet">Select a layer, a track or a matte to see its time here.</p>
        )}
        {keyed.length > 0 && (
          <div className="absolute top-[3px] left-[66px] z-20">
            <Tip text={curves ? "Draw lanes" : "Draw curves"} keys="C">
              <button
                className="icon-btn h-5 w-5"
                aria-pressed={curves}
                aria-label="Draw as curves"
                onClick={() => set({ lanesAs: curves ? "lanes" : "curves" })}
              >
                <Spline size={14} className={curves ? "text-brass" : ""} />
              </button>
            </Tip>
          </div>
        )}
        <div className="pointer-events-none absolute inset-y-0 right-0 left-[112px]">
          <Axis frames={shot.frames} />
        </div>
      </div>
    </div>
  );
}

function Span({ layer, plate }: { layer: Layer; plate: boolean }) {
  const shot = useShotInTime();
  const { draft, commit } = usePick("draft", "commit");
  const row = useRef<HTMLDivElement>(null);
  const grabbed = useRef<{ frame: number; span: [number, number] } | null>(null);
  if (!shot) return null;
  const span = (layer.span ?? [0, shot.frames - 1]) as [number, number];
  const path = `/layers/${layer.id}/span`;
  const left = (f: number) => `${(f / shot.frames) * 100}%`;
  const part = (which: "in" | "out" | "all") => ({
    onPointerDown: (e: React.PointerEvent) => {
      e.currentTarget.setPointerCapture(e.pointerId);
      grabbed.current = { frame: frameAt(e, row.current!, shot.frames), span };
    },
    onPointerMove: (e: React.PointerEvent) => {
      const g = grabbed.current;
      if (!g) return;
      const by = Math.round(frameAt(e, row.current!, shot.frames) - g.frame);
      const [a, b] = g.span;
      const next =
        which === "in" ? [Math.min(a + by, b), b] : which === "out" ? [a, Math.max(b + by, a)] : [a + by, b + by];
      draft([{ op: "replace", path, value: next }]);
    },
    onPointerUp: () => {
      grabbed.current = null;
      if (useBench.getState().dragged.length)
        void commit(`change the span of ${layer.name}`, [{ op: "replace", path, value: layer.span }]);
    },
  });
  const slider = (i: 0 | 1) => ({
    role: "slider",
    tabIndex: 0,
    "aria-label": `${i ? "Last" : "First"} frame of ${layer.name}`,
    "aria-valuenow": span[i],
    onKeyDown: (e: React.KeyboardEvent) => {
      const by = e.key === "ArrowLeft" ? -1 : e.key === "ArrowRight" ? 1 : 0;
      if (!by) return;
      e.preventDefault();
      e.stopPropagation();
      const next = i ? [span[0], Math.max(span[1] + by, span[0])] : [Math.min(span[0] + by, span[1]), span[1]];
      void commit(`change the span of ${layer.name}`, [{ op: "replace", path, value: next }]);
    },
  });
  return (
    <Row name="span" rowRef={row}>
      <div
        className={`absolute inset-y-[6px] ${plate ? "bg-[#35332f]" : "cursor-grab bg-[#45423b]"}`}
        style={{ left: left(span[0]), right: `${(1 - (span[1] + 1) / shot.frames) * 100}%` }}
        {...(plate ? {} : part("all"))}
      />
      {!plate && (
        <>
          <div
            {...slider(0)}
            {...part("in")}
            className="absolute inset-y-[4px] w-[6px] cursor-ew-resize rounded-sm bg-brass"
            style={{ left: left(span[0]) }}
          />
          <div
            {...slider(1)}
            {...part("out")}
            className="absolute inset-y-[4px] w-[6px] -translate-x-full cursor-ew-resize rounded-sm bg-brass"
            style={{ left: left(span[1] + 1) }}
          />
        </>
      )}
    </Row>
  );
}

/** One keyed parameter: pips to select (Shift adds), drag, delete, copy; a menu for the ease. */
function KeyLane({ named }: { named: Named }) {
  const shot = useShotInTime();
  const { keys, set, draft, commit, seek } = usePick("keys", "set", "draft", "commit", "seek");
  const row = useRef<HTMLDivElement>(null);
  const held = useRef<{ from: number; by: number; refs: KeyRef[] } | null>(null);
  const [menu, setMenu] = useState<number | null>(null);
  if (!shot) return null;
  const chosen = (k: Key) => keys.some((r) => r.path === named.path && r.frame === k.frame);
  const move = (refs: KeyRef[], by: number): Op[] => {
    const stored = useBench.getState().base!;
    return [...new Set(refs.map((r) => r.path))].map((path) => ({
      op: "replace",
      path: `${path}/keys`,
      value: moveKeys(
        at(stored, path),
        refs.filter((r) => r.path === path).map((r) => r.frame),
        by,
      ),
    }));
  };
  const setEase = (ease: Ease) => {
    const refs = keys.length ? keys : [{ path: named.path, frame: menu! }];
    const ops: Op[] = [...new Set(refs.map((r) => r.path))].map((path) => ({
      op: "replace",
      path: `${path}/keys`,
      value: at(shot, path).keys.map((k) =>
        refs.some((r) => r.path === path && r.frame === k.frame) ? { ...k, ease } : k,
      ),
    }));
    void commit(`set the ease to ${ease}`, ops);
  };
  return (
    <Row name={named.title} rowRef={row}>
      {/* by place in the row, not by frame: a key that is dragged must stay the element that holds the pointer */}
      {named.parameter.keys.map((k, i) => (
        <DropdownMenu.Root key={i} open={menu === k.frame} onOpenChange={(o) => !o && setMenu(null)}>
          <DropdownMenu.Trigger asChild onPointerDown={(e) => e.preventDefault()}>
            <button
              className="absolute top-[4px] h-[18px] w-[13px] -translate-x-1/2 touch-none"
              style={{ left: `${((k.frame + 0.5) / shot.frames) * 100}%` }}
              aria-label={`Key of ${named.title} at ${k.frame}, ${k.ease}`}
              aria-pressed={chosen(k)}
              onContextMenu={(e) => {
                e.preventDefault();
                if (!chosen(k)) set({ keys: [{ path: named.path, frame: k.frame }] });
                setMenu(k.frame);
              }}
              onPointerDownCapture={(e) => {
                if (e.button !== 0) return;
                e.currentTarget.setPointerCapture(e.pointerId);
                const me = { path: named.path, frame: k.frame };
                const refs = chosen(k) ? keys : e.shiftKey ? [...keys, me] : [me];
                set({ keys: refs });
                held.current = { from: frameAt(e, row.current!, shot.frames), by: 0, refs };
              }}
              onPointerMove={(e) => {
                const h = held.current;
                if (!h) return;
                const by = Math.round(frameAt(e, row.current!, shot.frames) - h.from);
                if (by === h.by) return;
                h.by = by;
                const ops = move(h.refs, by);
                draft(by ? ops : []);
                set({ keys: h.refs.map((r) => ({ ...r, frame: r.frame + by })) });
              }}
              onPointerUp={(e) => {
                const h = held.current;
                held.current = null;
                if (h?.by) void commit("move keys", move(h.refs, h.by));
                else if (h) {
                  if (!e.shiftKey) set({ keys: [{ path: named.path, frame: k.frame }] });
                  seek(k.frame);
                }
              }}
              onKeyDown={(e) => {
                if (e.key === "Enter") {
                  e.preventDefault();
                  e.stopPropagation();
                  set({ keys: [{ path: named.path, frame: k.frame }] });
                  setMenu(k.frame);
                }
                const by = e.altKey ? { ArrowLeft: -1, ArrowRight: 1 }[e.key] : undefined;
                if (by) {
                  e.preventDefault();
                  e.stopPropagation();
                  void commit("move a key", move([{ path: named.path, frame: k.frame }], by));
                }
              }}
              onFocus={() => !chosen(k) && set({ keys: [{ path: named.path, frame: k.frame }] })}
            >
              <Pip ease={k.ease} filled={chosen(k)} />
            </button>
          </DropdownMenu.Trigger>
          <DropdownMenu.Portal>
            <DropdownMenu.Content className="menu w-44" onCloseAutoFocus={keepFocus}>
              {EASES.map((ease) => (
                <DropdownMenu.Item key={ease} className="menu-item" onSelect={() => setEase(ease)}>
                  <span className="flex items-center gap-2">
                    <span className="relative h-4 w-3">
                      <Pip ease={ease} filled={k.ease === ease} />
                    </span>
                    {ease === "bezier" ? "shaped" : ease}
                  </span>
                </DropdownMenu.Item>
              ))}
              <DropdownMenu.Separator className="my-1 h-px bg-line" />
              <DropdownMenu.Item className="menu-item" onSelect={() => removeKeys(keys)}>
                Delete <kbd className="mono text-quiet">Del</kbd>
              </DropdownMenu.Item>
            </DropdownMenu.Content>
          </DropdownMenu.Portal>
        </DropdownMenu.Root>
      ))}
    </Row>
  );
}

export function removeKeys(refs: KeyRef[]): void {
  const { shot, commit, set, frame } = useBench.getState();
  if (!shot || !refs.length) return;
  const ops = [...new Set(refs.map((r) => r.path))].flatMap((path): Op[] => {
    const parameter = at(shot, path);
    const keys = parameter.keys.filter((k) => !refs.some((r) => r.path === path && r.frame === k.frame));
    const rest: Op[] = keys.length
      ? []
      : [
          {
            op: "replace",
            path: `${path}/value`,
            value: parameter.keys.find((k) => k.frame <= frame)?.value ?? parameter.keys[0].value,
          },
        ];
    return [{ op: "replace", path: `${path}/keys`, value: keys }, ...rest];
  });
  set({ keys: [] });
  void commit(refs.length > 1 ? `delete ${refs.length} keys` : "delete a key", ops);
}

/** The health of a track: confidence over time, lost stretches marked with why. */
function Health({ track }: { track: Track }) {
  const shot = useShotInTime();
  const live = useLiveTracks((s) => s.byTrack[track.id]);
  const files = useSamples(track.samples ? [track.samples] : []);
  if (!shot) return null;
  const file = track.samples ? files[track.samples] : undefined;
  const samples = marks(file, live);
  const place = (f: number) => fromPlateFrame(shot, Math.floor(f)) + f - Math.floor(f);
  const x = (f: number) => (place(f) / shot.frames) * 1000;
  const area = samples.map(
    (s) =>
      `M${x(s.frame).toFixed(1)} 26v${(-4 - 20 * s.confidence).toFixed(1)}h${(1000 / shot.frames + 0.3).toFixed(2)}V26z`,
  );
  const reason = samples.find((s) => s.lost);
  return (
    <Row name={`health: ${track.name}`} mark="text-track">
      <svg
        viewBox="0 0 1000 26"
        preserveAspectRatio="none"
        className="absolute inset-0 h-full w-full"
        data-testid="health"
        data-samples={samples.length}
        aria-label={`Confidence of ${track.name}: ${samples.length} frames, ${samples.filter((s) => s.lost).length} lost`}
        role="img"
      >
        <path d={area.filter((_, i) => !samples[i].lost).join("")} fill="#5fb3a1" opacity=".55" />
        <path
          d={samples
            .filter((s) => s.lost)
            .map(
              (s) =>
                `M${x(s.frame).toFixed(1)} 0h${(1000 / shot.frames + 0.3).toFixed(2)}v26h-${(1000 / shot.frames + 0.3).toFixed(2)}z`,
            )
            .join("")}
          fill="#e08763"
          opacity=".45"
        />
        {[track.reference_frame, ...handSetFrames(track)].map((f) => (
          <path key={f} d={`M${x(f + 0.5)} 0v26`} stroke="#e6e4df" strokeWidth="2" vectorEffect="non-scaling-stroke" />
        ))}
      </svg>
      {reason && (
        <span
          className="pointer-events-none absolute top-1 text-small text-[#f0b79f]"
          style={{ left: `min(${x(reason.frame) / 10}%, 80%)` }}
        >
          &nbsp;{reason.reason}
        </span>
      )}
      {!samples.length && (
        <span className="absolute inset-0 flex items-center pl-2 text-small text-quiet">not tracked yet</span>
      )}
    </Row>
  );
}
