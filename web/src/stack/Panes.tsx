import { ChevronLeft, ChevronRight, Eye, EyeOff, Layers2, Move, VenetianMask, Waypoints } from "lucide-react";
import { Fragment, useEffect, useRef, useState } from "react";
import type { Layer } from "../document/types";
import { showsTrays, useBench, usePick } from "../state/bench";
import { Tip } from "../ui/Tip";
import { addLayer, goInto } from "../tools/actions";
import { cutLayer, insertFootage, readDrop, rideLayer, startDrag } from "./drops";
import {
  groupOf,
  hasPlace,
  isCarrier,
  isVeil,
  looksOf,
  selectedLayers,
  stackAround,
  stackOf,
} from "../document/layers";

const [CHOSEN, PLAIN] = ["border-brass bg-raised", "border-line bg-surface"];
const EMPTY = "justify-center rounded border border-dashed border-line text-quiet";

/**
 * The stack as a row of glass panes, nearest the lens at the left, the plate at the right; groups stand in
 * trays. Inside a group, its own stack.
 */
export function Panes() {
  const { base: shot, inside, selectLayers } = usePick("base", "inside", "selectLayers");
  const trays = useBench(showsTrays);
  const row = useRef<HTMLDivElement>(null);
  const [lasso, setLasso] = useState<[number, number] | null>(null);
  if (!shot) return <div className="h-[112px]" />;
  const { stack } = stackAround(shot, inside);
  const movable = !inside && shot.plate ? stack.slice(0, -1) : stack;
  const sweep = {
    onPointerDown: (e: React.PointerEvent) => {
      if (e.button !== 0 || (e.target as HTMLElement).closest("[data-pane], [data-tab]")) return;
      e.currentTarget.setPointerCapture(e.pointerId);
      setLasso([e.clientX, e.clientX]);
    },
    onPointerMove: (e: React.PointerEvent) => lasso && setLasso([lasso[0], e.clientX]),
    onPointerUp: () => {
      if (!lasso) return;
      const [from, to] = [Math.min(...lasso), Math.max(...lasso)];
      setLasso(null);
      if (to - from < 6) return;
      const panes = [...row.current!.querySelectorAll<HTMLElement>("[data-layer]")].filter((p) => {
        const r = p.getBoundingClientRect();
        return r.right > from && r.left < to;
      });
      selectLayers(panes.map((p) => p.dataset.layer!).filter((id) => id !== shot.plate));
    },
  };
  const left = row.current?.getBoundingClientRect().left ?? 0;
  return (
    <div
      ref={row}
      className={`relative flex ${trays ? "h-[130px]" : "h-[112px]"} shrink-0 items-center overflow-x-auto border-b border-line px-2`}
      role="group"
      aria-label="Layers, nearest the lens first"
      {...sweep}
    >
      <span className="mr-1 shrink-0 rotate-180 text-small text-quiet [writing-mode:vertical-rl]" aria-hidden>
        near lens
      </span>
      <Row stack={movable} group={inside} deep={0} />
      <DropPlace
        group={inside}
        before={!inside ? shot.plate : null}
        className={`flex h-[88px] min-w-6 flex-1 items-center px-3 ${movable.length ? "" : EMPTY}`}
      >
        {movable.length ? (
          <div className="w-full border-t border-dashed border-line" />
        ) : inside ? (
          "Drag panes or footage here, to put them into the group"
        ) : (
          "Drag footage or a stock element here from the Shelf, to lay it over the plate"
        )}
      </DropPlace>
      {!inside && shot.plate && (
        <div className="sticky right-0 z-10 rounded-lg bg-ground pl-2">
          <Pane layer={shot.layers[shot.plate]} plate />
        </div>
      )}
      {lasso && (
        <div
          className="pointer-events-none absolute inset-y-1 border border-brass bg-brass/15"
          style={{ left: Math.min(...lasso) - left, width: Math.abs(lasso[1] - lasso[0]) }}
        />
      )}
    </div>
  );
}

/** Panes of one stack, with the places between them to drop onto. */
function Row({ stack, group, deep }: { stack: string[]; group: string | null; deep: number }) {
  const { base: shot, unfolded } = usePick("base", "unfolded");
  if (!shot) return null;
  return (
    <>
      {stack.map((id, i) => (
        <Fragment key={id}>
          <DropPlace group={group} before={id} gap={deep ? undefined : i} />
          {shot.layers[id].content.kind === "group" && unfolded.includes(id) ? (
            <Tray group={shot.layers[id]} deep={deep} />
          ) : (
            <Pane layer={shot.layers[id]} />
          )}
        </Fragment>
      ))}
      <DropPlace group={group} before={group ? null : shot.plate} gap={deep ? undefined : stack.length} />
    </>
  );
}

/** A group with its layers shown: a shallow frame about them, its name and what it has of its own on a tab. */
function Tray({ group, deep }: { group: Layer; deep: number }) {
  const chosen = useChosen(group.id);
  const { select, selectAlso } = usePick("select", "selectAlso");
  return (
    <div className={`tray ${chosen ? "border-brass" : "border-line"}`} data-tray={group.name}>
      <div className="absolute inset-x-1 top-0 flex h-[15px] items-center gap-1" data-tab>
        <FoldButton group={group} open />
        <button
          id={`pane-${group.id}`}
          draggable
          aria-pressed={chosen}
          className={`tab ${group.visible ? "" : "line-through"} ${chosen ? "text-brass" : "text-quiet"}`}
          title={`${group.name}: double-click to go into it`}
          onDragStart={(e) => startDrag(e, { kind: "pane", id: group.id })}
          onDoubleClick={() => goInto(group.id)}
          onKeyDown={(e) => walk(e, group.id)}
          onClick={(e) =>
            e.shiftKey || e.ctrlKey || e.metaKey ? selectAlso(group.id) : select({ kind: "layer", id: group.id })
          }
        >
          {group.name}
        </button>
        <span className="flex max-w-[50%] shrink items-center overflow-hidden">
          <Marks layer={group} quiet />
        </span>
      </div>
      <Row stack={stackOf(group)} group={group.id} deep={deep + 1} />
    </div>
  );
}

function FoldButton({ group, open }: { group: Layer; open: boolean }) {
  const { unfolded, set } = usePick("unfolded", "set");
  return (
    <button
      className="icon-btn h-[14px] min-w-4"
      aria-label={`${open ? "Fold" : "Unfold"} ${group.name}`}
      aria-expanded={open}
      onClick={(e) => {
        e.stopPropagation();
        set({ unfolded: open ? unfolded.filter((u) => u !== group.id) : [...unfolded, group.id] });
      }}
    >
      {open ? <ChevronLeft size={11} /> : <ChevronRight size={12} />}
    </button>
  );
}

/** Where panes and footage can be put into a stack, before a layer or last. */
function DropPlace({
  group,
  before,
  gap,
  className,
  children,
}: {
  group: string | null;
  before: string | null;
  gap?: number;
  className?: string;
  children?: React.ReactNode;
}) {
  const [over, setOver] = useState(false);
  const drop = (e: React.DragEvent) => {
    e.preventDefault();
    e.stopPropagation();
    setOver(false);
    const { shot, give, selection, also } = useBench.getState();
    const d = readDrop(e);
    if (!d || !shot) return;
    const { stack } = stackAround(shot, group);
    const at = before ? stack.indexOf(before) : stack.length;
    if (d.kind === "shelf") void insertFootage(d.id, at, undefined, group);
    if (d.kind === "make") addLayer(d.id, d.start, { group, index: at });
    if (d.kind !== "pane") return;
    const chosen = selectedLayers(shot, selection, also).filter((id) => id !== shot.plate);
    void give("move", {
      layers: chosen.includes(d.id) ? chosen : [d.id],
      group,
      before: before === shot.plate ? null : before,
    });
  };
  return (
    <div
      data-testid={gap === undefined ? undefined : `gap-${gap}`}
      className={className ?? `h-[88px] shrink-0 rounded ${over ? "w-8 bg-brass/40" : "w-3"} ease`}
      onDragOver={(e) => {
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={drop}
    >
      {children}
    </div>
  );
}

const useChosen = (id: string) =>
  useBench((s) => (s.selection.kind === "layer" && s.selection.id === id) || s.also.includes(id));

/** Arrows walk the row that is shown; with Shift they take panes in, with Alt they move what is selected. */
function walk(e: React.KeyboardEvent, id: string): void {
  const { shot, inside, unfolded, select, selectAlso, give, selection, also } = useBench.getState();
  const step = e.key === "ArrowLeft" ? -1 : e.key === "ArrowRight" ? 1 : 0;
  if (!shot || !step || e.ctrlKey || e.metaKey) return;
  e.preventDefault();
  e.stopPropagation();
  if (e.altKey) {
    const group = groupOf(shot, id);
    const { stack } = stackAround(shot, group);
    const chosen = selectedLayers(shot, selection, also).filter((c) => stack.includes(c) && c !== shot.plate);
    if (!chosen.length) return;
    const rest = stack.filter((s) => !chosen.includes(s));
    const first = stack.slice(0, stack.indexOf(chosen[0])).filter((s) => !chosen.includes(s)).length;
    const at = first + step;
    if (at < 0 || at > rest.length - (group || !shot.plate ? 0 : 1)) return;
    void give("move", { layers: chosen, group, before: rest[at] ?? null });
    return;
  }
  const shown = (stack: string[]): string[] =>
    stack.flatMap((s) => [s, ...(unfolded.includes(s) ? shown(stackOf(shot.layers[s])) : [])]);
  const all = shown(stackAround(shot, inside).stack);
  const next = all[all.indexOf(id) + step];
  if (!next) return;
  if (e.shiftKey) selectAlso(next);
  else select({ kind: "layer", id: next });
  document.getElementById(`pane-${next}`)?.focus();
}

function Pane({ layer, plate }: { layer: Layer; plate?: boolean }) {
  const { base: shot, select, selectAlso, commit } = usePick("base", "select", "selectAlso", "commit");
  const selected = useChosen(layer.id);
  const group = layer.content.kind === "group";
  const original = layer.content.kind === "twin" ? shot?.layers[layer.content.layer] : undefined;
  const [over, setOver] = useState(false);
  return (
    <div
      data-pane={layer.name}
      data-layer={layer.id}
      draggable={!plate}
      className={`pane ${selected ? CHOSEN : PLAIN} ${over ? "ring-2 ring-track" : ""} ${group ? "several" : ""}`}
      onDragStart={(e) => startDrag(e, { kind: "pane", id: layer.id })}
      onDragOver={(e) => {
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(e) => {
        setOver(false);
        const d = readDrop(e);
        if (d?.kind === "track") {
          e.preventDefault();
          e.stopPropagation();
          void rideLayer(layer.id, d.id);
        }
        if (d?.kind === "matte") {
          e.preventDefault();
          e.stopPropagation();
          void cutLayer(layer.id, d.id);
        }
      }}
    >
      <button
        id={`pane-${layer.id}`}
        aria-pressed={selected}
        className="flex h-full w-full cursor-pointer flex-col rounded-lg p-1 text-left"
        onDoubleClick={() => group && goInto(layer.id)}
        onClick={(e) => {
          if (e.shiftKey || e.ctrlKey || e.metaKey) selectAlso(layer.id);
          else select({ kind: "layer", id: layer.id });
          if (e.detail) e.currentTarget.blur(); // clicked with the mouse: the arrow keys go on stepping frames
        }}
        onFocus={(e) =>
          !selected && e.currentTarget.matches(":focus-visible") && select({ kind: "layer", id: layer.id })
        }
        onKeyDown={(e) => walk(e, layer.id)}
      >
        <span className={`check relative block h-[56px] overflow-hidden rounded ${layer.visible ? "" : "opacity-30"}`}>
          {isCarrier(layer) ? (
            <Move size={20} className="absolute inset-0 m-auto text-quiet" />
          ) : (
            <Thumb layer={layer} />
          )}
        </span>
        <span className="block truncate px-0.5 pr-6 text-small leading-5">
          {plate ? `Plate: ${layer.name}` : layer.name}
        </span>
        <Marks layer={layer} plate={plate} />
      </button>
      {group && (
        <span className="absolute top-[2px] left-[2px] rounded bg-[#1b1b1b]/80">
          <FoldButton group={layer} open={false} />
        </span>
      )}
      {original && (
        <span className="absolute -bottom-[1px] left-2 h-[2px] w-14 bg-line" title={`the twin of ${original.name}`} />
      )}
      <span className="absolute top-[61px] right-1">
        <Tip text={layer.visible ? "Hide" : "Show"} keys="H">
          <button
            className="icon-btn h-5 min-w-5"
            aria-label={`${layer.visible ? "Hide" : "Show"} ${layer.name}`}
            onClick={(e) => {
              e.stopPropagation();
              void commit(`${layer.visible ? "hide" : "show"} ${layer.name}`, [
                { op: "replace", path: `/layers/${layer.id}/visible`, value: !layer.visible },
              ]);
            }}
          >
            {layer.visible ? <Eye size={12} /> : <EyeOff size={12} />}
          </button>
        </Tip>
      </span>
    </div>
  );
}

/** What the layer rides on, how it is laid in, how many effects it has. */
function Marks({ layer, plate, quiet }: { layer: Layer; plate?: boolean; quiet?: boolean }) {
  const shot = useBench((s) => s.shot);
  const ride = isVeil(layer) ? null : layer.place.ride;
  const cuts = Object.values(layer.cuts);
  const on = looksOf(layer).filter((e) => e.on).length;
  return (
    <span className="flex items-center gap-1 px-0.5 text-[11px] leading-4 text-quiet">
      {hasPlace(layer) && !plate && (!quiet || ride) && (
        <span
          data-testid={`rides-${layer.id}`}
          title={ride ? `rides on ${shot?.tracks[ride.track]?.name}` : "drop a track here to let it ride"}
          className={`pill ${ride ? "border-track text-track" : "border-dashed border-line"}`}
        >
          {ride ? (
            shot?.tracks[ride.track]?.name
          ) : (
            <Waypoints size={10} aria-label="rides on nothing" className="my-[3px]" />
          )}
        </span>
      )}
      {!isCarrier(layer) && (!quiet || cuts.length > 0) && (
        <span
          data-testid={`cut-${layer.id}`}
          title={
            cuts.length
              ? `cut by ${cuts.map((c) => shot?.mattes[c.matte]?.name).join(", ")}`
              : "drop a matte here to cut it"
          }
          className={`pill ${cuts.length ? "border-matte text-matte" : "border-dashed border-line"}`}
        >
          {cuts.length ? (
            shot?.mattes[cuts[0].matte]?.name
          ) : (
            <VenetianMask size={10} aria-label="cut by nothing" className="my-[3px]" />
          )}
        </span>
      )}
      {plate && <span>{shot?.size.join("×")}</span>}
      {isVeil(layer) && (
        <span className="shrink-0" title="a veil: changes all that lies beneath it">
          <Layers2 size={11} aria-label="veil" />
        </span>
      )}
      {isCarrier(layer) && <span className="truncate">carrier</span>}
      {!quiet && layer.content.kind === "group" && <span className="truncate">{stackOf(layer).length} in it</span>}
      {layer.content.kind === "twin" && <span className="truncate">twin</span>}
      {!isCarrier(layer) && !plate && layer.blend !== "normal" && (
        <span className="min-w-0 truncate" title={`laid in with ${layer.blend}`}>
          {layer.blend}
        </span>
      )}
      {on > 0 && (
        <span className="ml-auto shrink-0 whitespace-nowrap" title={`${on} effects`}>
          {on} fx
        </span>
      )}
    </span>
  );
}

/** The layer alone, as the server draws it; asked for when the picture is at rest. */
function Thumb({ layer }: { layer: Layer }) {
  const { id, stored, frame, playing, overlay } = usePick("id", "stored", "frame", "playing", "overlay");
  const [url, setUrl] = useState("");
  const resting = !playing && !overlay.length;
  useEffect(() => {
    if (!resting || !stored) return undefined;
    const timer = setTimeout(() => {
      const span = layer.span;
      const f = span ? Math.min(Math.max(frame, span[0]), span[1]) : frame;
      setUrl(
        `/api/shots/${id}/frame/${f}.jpg?revision=${stored.revision}&width=160&of=layer&layer=${layer.id}&checker=true`,
      );
    }, 350);
    return () => clearTimeout(timer);
  }, [id, stored, frame, resting, layer.id, layer.span]);
  return url ? <img src={url} alt="" draggable={false} className="h-full w-full object-cover" /> : null;
}
