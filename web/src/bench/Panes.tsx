import { Eye, EyeOff, Layers2, Move, VenetianMask, Waypoints } from "lucide-react";
import { useEffect, useState } from "react";
import { moveLayer } from "../document/ops";
import type { Layer } from "../document/types";
import { useBench } from "../state/bench";
import { Tip } from "../ui/Tip";
import { cutLayer, insertFootage, readDrop, rideLayer, startDrag } from "./drops";

/** The stack as a row of glass panes, nearest the lens at the left, the plate at the right. */
export function Panes() {
  const { shot, selection, select, commit } = useBench();
  const [target, setTarget] = useState<number | null>(null);
  if (!shot) return <div className="h-[122px]" />;
  const movable = shot.plate ? shot.stack.slice(0, -1) : shot.stack;
  const drop = (index: number) => (e: React.DragEvent) => {
    e.preventDefault();
    setTarget(null);
    const d = readDrop(e);
    if (d?.kind === "shelf") void insertFootage(d.id, index);
    if (d?.kind === "pane") {
      const from = shot.stack.indexOf(d.id);
      void commit(`move ${shot.layers[d.id].name} in the stack`, moveLayer(shot, d.id, from < index ? index - 1 : index));
    }
  };
  const gap = (index: number) => (
    <div
      key={`gap${index}`} data-testid={`gap-${index}`} className={`h-[88px] shrink-0 rounded ${target === index ? "w-8 bg-brass/40" : "w-3"} ease`}
      onDragOver={(e) => { e.preventDefault(); setTarget(index); }} onDragLeave={() => setTarget(null)} onDrop={drop(index)}
    />
  );
  const keys = (e: React.KeyboardEvent, id: string) => {
    const i = shot.stack.indexOf(id);
    const step = e.key === "ArrowLeft" ? -1 : e.key === "ArrowRight" ? 1 : 0;
    if (!step || e.shiftKey || e.ctrlKey || e.metaKey) return;
    e.preventDefault();
    e.stopPropagation();
    if (e.altKey) {
      if (id !== shot.plate) void commit(`move ${shot.layers[id].name} in the stack`, moveLayer(shot, id, i + step));
      return;
    }
    const next = shot.stack[i + step];
    if (next) {
      select({ kind: "layer", id: next });
      document.getElementById(`pane-${next}`)?.focus();
    }
  };
  return (
    <div className="flex h-[122px] shrink-0 items-center overflow-x-auto border-b border-line px-2" role="group" aria-label="Layers, nearest the lens first">
      <span className="mr-1 shrink-0 rotate-180 text-small text-quiet [writing-mode:vertical-rl]" aria-hidden>near lens</span>
      {movable.map((id, i) => [gap(i), <Pane key={id} layer={shot.layers[id]} selected={selection.kind === "layer" && selection.id === id} onKeys={(e) => keys(e, id)} />])}
      {gap(movable.length)}
      <div className={`flex h-[88px] min-w-6 flex-1 items-center px-3 ${movable.length ? "" : "justify-center rounded border border-dashed border-line text-quiet"}`} onDragOver={(e) => e.preventDefault()} onDrop={drop(movable.length)}>
        {movable.length ? <div className="w-full border-t border-dashed border-line" /> : "Drag footage or a stock element here from the Shelf, to lay it over the plate"}
      </div>
      {shot.plate && <Pane layer={shot.layers[shot.plate]} selected={selection.kind === "layer" && selection.id === shot.plate} onKeys={(e) => keys(e, shot.plate!)} plate />}
    </div>
  );
}

function Pane({ layer, selected, onKeys, plate }: { layer: Layer; selected: boolean; onKeys: (e: React.KeyboardEvent) => void; plate?: boolean }) {
  const { select, commit } = useBench();
  const [over, setOver] = useState(false);
  return (
    <div
      data-pane={layer.name} draggable={!plate}
      className={`relative h-[106px] w-[112px] shrink-0 rounded-lg border ${selected ? "border-brass bg-raised" : "border-line bg-surface"} ${over ? "ring-2 ring-track" : ""}`}
      onDragStart={(e) => startDrag(e, { kind: "pane", id: layer.id })}
      onDragOver={(e) => { e.preventDefault(); setOver(true); }} onDragLeave={() => setOver(false)}
      onDrop={(e) => {
        setOver(false);
        const d = readDrop(e);
        if (d?.kind === "track") { e.preventDefault(); e.stopPropagation(); void rideLayer(layer.id, d.id); }
        if (d?.kind === "matte") { e.preventDefault(); e.stopPropagation(); void cutLayer(layer.id, d.id); }
      }}
    >
      <button
        id={`pane-${layer.id}`} aria-pressed={selected} className="flex h-full w-full cursor-pointer flex-col rounded-lg p-1 text-left"
        onClick={(e) => {
          select({ kind: "layer", id: layer.id });
          if (e.detail) e.currentTarget.blur(); // clicked with the mouse: the arrow keys go on stepping frames
        }}
        onFocus={() => !selected && select({ kind: "layer", id: layer.id })} onKeyDown={onKeys}
      >
        <span className={`check relative block h-[56px] overflow-hidden rounded ${layer.visible ? "" : "opacity-30"}`}>
          {layer.kind === "carrier" ? <Move size={20} className="absolute inset-0 m-auto text-quiet" /> : <Thumb layer={layer} />}
        </span>
        <span className="block truncate px-0.5 pr-6 text-small leading-5">{plate ? `Plate: ${layer.name}` : layer.name}</span>
        <Marks layer={layer} plate={plate} />
      </button>
      <span className="absolute top-[61px] right-1">
        <Tip text={layer.visible ? "Hide" : "Show"} keys="H">
          <button
            className="icon-btn h-5 min-w-5" aria-label={`${layer.visible ? "Hide" : "Show"} ${layer.name}`}
            onClick={(e) => { e.stopPropagation(); void commit(`${layer.visible ? "hide" : "show"} ${layer.name}`, [{ op: "replace", path: `/layers/${layer.id}/visible`, value: !layer.visible }]); }}
          >
            {layer.visible ? <Eye size={12} /> : <EyeOff size={12} />}
          </button>
        </Tip>
      </span>
    </div>
  );
}

/** What the layer rides on, how it is laid in, how many effects it has. */
function Marks({ layer, plate }: { layer: Layer; plate?: boolean }) {
  const shot = useBench((s) => s.shot);
  const ride = layer.kind === "veil" ? null : layer.place.ride;
  const on = layer.effects.filter((e) => e.on).length;
  return (
      <span className="flex items-center gap-1 px-0.5 text-[11px] leading-4 text-quiet">
        {layer.kind !== "veil" && !plate && (
          <span data-testid={`rides-${layer.id}`} title={ride ? `rides on ${shot?.tracks[ride.track]?.name}` : "drop a track here to let it ride"} className={`max-w-[40px] shrink-0 truncate rounded-full border px-1 ${ride ? "border-track text-track" : "border-dashed border-line"}`}>
            {ride ? shot?.tracks[ride.track]?.name : <Waypoints size={10} aria-label="rides on nothing" className="my-[3px]" />}
          </span>
        )}
        {layer.kind !== "carrier" && (
          <span data-testid={`cut-${layer.id}`} title={layer.cut.length ? `cut by ${layer.cut.map((c) => shot?.mattes[c.matte]?.name).join(", ")}` : "drop a matte here to cut it"} className={`max-w-[40px] shrink-0 truncate rounded-full border px-1 ${layer.cut.length ? "border-matte text-matte" : "border-dashed border-line"}`}>
            {layer.cut.length ? shot?.mattes[layer.cut[0].matte]?.name : <VenetianMask size={10} aria-label="cut by nothing" className="my-[3px]" />}
          </span>
        )}
        {plate && <span>{shot?.size.join("×")}</span>}
        {layer.kind === "veil" && <span className="shrink-0" title="a veil: changes all that lies beneath it"><Layers2 size={11} aria-label="veil" /></span>}
        {layer.kind === "carrier" && <span className="truncate">carrier</span>}
        {layer.kind !== "carrier" && !plate && layer.blend !== "normal" && <span className="min-w-0 truncate" title={`laid in with ${layer.blend}`}>{layer.blend}</span>}
        {on > 0 && <span className="ml-auto shrink-0 whitespace-nowrap" title={`${on} effects`}>{on} fx</span>}
      </span>
  );
}

/** The layer alone, as the server draws it; asked for when the picture is at rest. */
function Thumb({ layer }: { layer: Layer }) {
  const { id, stored, frame, playing, overlay } = useBench();
  const [url, setUrl] = useState("");
  const resting = !playing && !overlay.length;
  useEffect(() => {
    if (!resting || !stored) return undefined;
    const timer = setTimeout(() => {
      const span = layer.span;
      const f = span ? Math.min(Math.max(frame, span[0]), span[1]) : frame;
      setUrl(`/api/shots/${id}/frame/${f}.jpg?revision=${stored.revision}&width=160&variant=only:${layer.id}&checker=true`);
    }, 350);
    return () => clearTimeout(timer);
  }, [id, stored, frame, resting, layer.id, layer.span]);
  return url ? <img src={url} alt="" draggable={false} className="h-full w-full object-cover" /> : null;
}
