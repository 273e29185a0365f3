import { useRef } from "react";
import { useCarried } from "../api/client";
import { sample } from "../document/animate";
import { dragAt } from "../document/depth";
import { IDENTITY, inverse, own, through, times, type Matrix } from "../document/geometry";
import { setValue } from "../document/ops";
import type { Layer, Corners, Op, Shot, Vec2, Vec3 } from "../document/types";
import { useBench, usePick } from "../state/bench";
import { groupOf, hasPicture, hasPlace, isVeil, sizeOf } from "../document/layers";

type Grip = "move" | "scale" | "turn" | "pivot";
type Placed = Layer;
const CARRIER_SIZE: Vec2 = [120, 120];

/** The size of what is placed; a carrier shows nothing and has a size only to be held by. */
const heldSize = (shot: Shot, layer: Placed): Vec2 => (hasPicture(layer) ? sizeOf(shot, layer) : CARRIER_SIZE);

interface Held {
  grip: Grip;
  from: Vec2;
  start: { position: Vec2; scale: Vec2; rotation: number; pivot: Vec2 };
  centre: Vec2;
  ops: Op[];
}

/** Handles of the selected layer, drawn where its ride and what it hangs from have carried it. */
export function Handles({ scale, toShot }: { scale: number; toShot: (e: React.PointerEvent) => Vec2 }) {
  const { shot, stored, selection, frame } = usePick("shot", "stored", "selection", "frame");
  const layer = selection.kind === "layer" ? shot?.layers[selection.id] : undefined;
  const place = layer && hasPlace(layer) ? layer.place : undefined;
  const tied =
    place !== undefined &&
    (place.ride !== null ||
      place.hang !== null ||
      place.depth !== null ||
      groupOf(shot!, layer!.id) !== null ||
      [place.position, place.scale, place.rotation, place.pivot].some((p) => p.moving?.length));
  const matrices = useCarried(tied || place?.pivot_ride ? (stored?.id ?? null) : null, stored?.revision ?? 0, frame);
  if (!shot || !layer || isVeil(layer) || layer.id === shot.plate) return null;
  const carried = tied ? matrices?.[layer.id] : IDENTITY;
  if (layer.place.depth)
    return hasPicture(layer) && carried ? (
      <DepthHandles layer={layer} whole={carried} scale={scale} toShot={toShot} />
    ) : null;
  if (!carried) return null;
  const pivot = layer.place.pivot_ride ? matrices?.[`${layer.id}:pivot`] : IDENTITY;
  if (!pivot) return null;
  const props = { layer, carried, pivotRide: pivot, scale, toShot };
  return layer.place.corners ? <CornerHandles {...props} /> : <BoxHandles {...props} />;
}

interface HandleProps {
  layer: Placed;
  carried: Matrix;
  pivotRide: Matrix;
  scale: number;
  toShot: (e: React.PointerEvent) => Vec2;
}

/** Four corners, each dragged on its own; the area inside drags all of them. */
function CornerHandles({ layer, carried, scale, toShot }: HandleProps) {
  const { frame, draft, commit } = usePick("frame", "draft", "commit");
  const held = useRef<{ which: number | "all"; from: Vec2; start: Corners; ops: Op[] } | null>(null);
  const corners = sample(layer.place.corners!, frame);
  const back = inverse(carried);
  const shown = corners.map((c) => through(carried, c)).map(([x, y]): Vec2 => [x * scale, y * scale]);
  const grip = (which: number | "all") => ({
    style: { pointerEvents: "auto" as const },
    onPointerDown: (e: React.PointerEvent) => {
      if (e.button !== 0 || e.altKey) return;
      e.stopPropagation();
      e.currentTarget.setPointerCapture(e.pointerId);
      held.current = { which, from: through(back, toShot(e)), start: corners, ops: [] };
    },
    onPointerMove: (e: React.PointerEvent) => {
      const d = held.current;
      if (!d) return;
      const to = through(back, toShot(e));
      const next = d.start.map((c, i) =>
        d.which === "all" || d.which === i ? round([c[0] + to[0] - d.from[0], c[1] + to[1] - d.from[1]], 2) : c,
      ) as Corners;
      d.ops = setValue(useBench.getState().base!, `/layers/${layer.id}/place/corners`, frame, next);
      draft(d.ops);
    },
    onPointerUp: () => {
      const d = held.current;
      held.current = null;
      if (d?.ops.length) void commit(`${d.which === "all" ? "move" : "move a corner of"} ${layer.name}`, d.ops);
    },
  });
  return (
    <g data-testid="handles">
      <polygon
        points={shown.map((c) => c.join(",")).join(" ")}
        fill="transparent"
        stroke="#c7a252"
        strokeOpacity=".8"
        className="cursor-move"
        {...grip("all")}
      >
        <title>{layer.name}: drag to move</title>
      </polygon>
      {shown.map(([x, y], i) => (
        <g key={i} transform={`translate(${x},${y})`} className="cursor-grab" {...grip(i)} data-testid={`pin-${i}`}>
          <circle r="10" fill="transparent" />
          <path d="M0 -7L7 0L0 7L-7 0z" fill="#c7a252" stroke="#1b1b1b" />
          <title>{["Top left", "Top right", "Bottom right", "Bottom left"][i]} corner</title>
        </g>
      ))}
    </g>
  );
}

/** The card as it is seen; before the still camera it is dragged across, with Shift to and from the lens. */
function DepthHandles({
  layer,
  whole,
  scale,
  toShot,
}: {
  layer: Layer;
  whole: Matrix;
  scale: number;
  toShot: (e: React.PointerEvent) => Vec2;
}) {
  const { shot, frame, draft, commit } = usePick("shot", "frame", "draft", "commit");
  const held = useRef<{ from: Vec2; start: Vec3; ops: Op[] } | null>(null);
  const depth = layer.place.depth!;
  const [w, h] = sizeOf(shot!, layer);
  const shown = (
    [
      [0, 0],
      [w, 0],
      [w, h],
      [0, h],
    ] as Vec2[]
  )
    .map((c) => through(whole, c))
    .map(([x, y]) => `${x * scale},${y * scale}`)
    .join(" ");
  const free = !depth.track && !layer.place.hang;
  const start = sample(depth.position, frame);
  return (
    <polygon
      data-testid="handles"
      points={shown}
      fill="transparent"
      stroke="#c7a252"
      strokeOpacity=".8"
      className={free ? "cursor-move" : ""}
      style={{ pointerEvents: free ? "auto" : "none" }}
      onPointerDown={(e) => {
        if (e.button !== 0 || e.altKey) return;
        e.stopPropagation();
        e.currentTarget.setPointerCapture(e.pointerId);
        held.current = { from: toShot(e), start, ops: [] };
      }}
      onPointerMove={(e) => {
        const d = held.current;
        if (!d) return;
        const now = toShot(e);
        const by: Vec2 = [now[0] - d.from[0], now[1] - d.from[1]];
        const [dx, dy] = dragAt(shot!, d.start[2], by);
        const next: Vec3 = e.shiftKey
          ? [d.start[0], d.start[1], d.start[2] + by[1] * 2]
          : [d.start[0] + dx, d.start[1] + dy, d.start[2]];
        d.ops = setValue(useBench.getState().base!, `/layers/${layer.id}/place/depth/position`, frame, round(next, 2));
        draft(d.ops);
      }}
      onPointerUp={() => {
        const d = held.current;
        held.current = null;
        if (d?.ops.length) void commit(`move ${layer.name}`, d.ops);
      }}
    >
      <title>
        {layer.name}
        {free ? ": drag to move it, with Shift nearer and farther" : ": it is placed by the numbers in the sheet"}
      </title>
    </polygon>
  );
}

/** A box: drag it to move, its corners to scale, the stalk to turn, the cross for the pivot. */
function BoxHandles({ layer, carried, pivotRide, scale, toShot: pointer }: HandleProps) {
  const { shot, frame, draft, commit } = usePick("shot", "frame", "draft", "commit");
  const held = useRef<Held | null>(null);
  const back = inverse(carried);
  const toShot = (e: React.PointerEvent) => through(back, pointer(e)); // as if nothing carried the layer
  const m = own(layer.place, heldSize(shot!, layer), frame, pivotRide);
  const [w, h] = heldSize(shot!, layer);
  const whole = times(carried, m);
  const px = ([x, y]: Vec2): Vec2 => [x * scale, y * scale];
  const corners = (
    [
      [0, 0],
      [w, 0],
      [w, h],
      [0, h],
    ] as Vec2[]
  ).map((c) => px(through(whole, c)));
  const value = <K extends "position" | "scale" | "rotation" | "pivot">(k: K) =>
    sample(layer.place[k] as never, frame) as Held["start"][K];
  const pivot = value("pivot");
  const centre = through(pivotRide, value("position"));
  let top = px(through(whole, [w / 2, 0]));
  let away = px(through(whole, [w / 2, h]));
  if (top[1] < 10 && away[1] > top[1]) [top, away] = [away, top]; // the stalk stays in view
  const length = Math.hypot(top[0] - away[0], top[1] - away[1]) || 1;
  const stalk: Vec2 = [top[0] + ((top[0] - away[0]) / length) * 22, top[1] + ((top[1] - away[1]) / length) * 22];

  const down = (grip: Grip) => (e: React.PointerEvent) => {
    if (e.button !== 0 || e.altKey) return;
    e.stopPropagation();
    e.currentTarget.setPointerCapture(e.pointerId);
    const start = { position: value("position"), scale: value("scale"), rotation: value("rotation"), pivot };
    held.current = { grip, from: toShot(e), start, centre, ops: [] };
  };
  const move = (e: React.PointerEvent) => {
    const d = held.current;
    if (!d) return;
    d.ops = changes(d, layer, toShot(e), e.shiftKey);
    draft(d.ops);
  };
  const up = () => {
    const d = held.current;
    held.current = null;
    if (d?.ops.length)
      void commit(
        `${{ move: "move", scale: "scale", turn: "turn", pivot: "move the pivot of" }[d.grip]} ${layer.name}`,
        d.ops,
      );
  };
  function changes(d: Held, l: Placed, now: Vec2, fine: boolean): Op[] {
    const base = `/layers/${l.id}/place`;
    const stored = useBench.getState().base!;
    const put = (name: string, v: unknown) => setValue(stored, `${base}/${name}`, frame, v);
    const [dx, dy] = [(now[0] - d.from[0]) * (fine ? 0.2 : 1), (now[1] - d.from[1]) * (fine ? 0.2 : 1)];
    if (d.grip === "move") return put("position", round([d.start.position[0] + dx, d.start.position[1] + dy], 2));
    if (d.grip === "scale") {
      const before = Math.hypot(d.from[0] - d.centre[0], d.from[1] - d.centre[1]);
      const k = Math.hypot(now[0] - d.centre[0], now[1] - d.centre[1]) / Math.max(before, 1);
      return put("scale", round([d.start.scale[0] * k, d.start.scale[1] * k], 4));
    }
    if (d.grip === "turn") {
      const angle = (p: Vec2) => (Math.atan2(p[1] - d.centre[1], p[0] - d.centre[0]) * 180) / Math.PI;
      const turned = d.start.rotation + ((((angle(now) - angle(d.from)) % 360) + 540) % 360) - 180;
      return put("rotation", fine ? Math.round(turned / 15) * 15 : Number(turned.toFixed(2)));
    }
    // the pivot moves and the position with it, so that the picture stays where it is
    const r = (-d.start.rotation * Math.PI) / 180;
    const [c, s] = [Math.cos(r), Math.sin(r)];
    const local: Vec2 = [(c * dx - s * dy) / (d.start.scale[0] || 1), (s * dx + c * dy) / (d.start.scale[1] || 1)];
    return [
      ...put("pivot", round([d.start.pivot[0] + local[0], d.start.pivot[1] + local[1]], 2)),
      ...put("position", round([d.start.position[0] + dx, d.start.position[1] + dy], 2)),
    ];
  }
  const grip = { onPointerMove: move, onPointerUp: up, style: { pointerEvents: "auto" as const } };
  const [cx, cy] = px(through(carried, centre));
  return (
    <g data-testid="handles">
      <polygon
        points={corners.map((c) => c.join(",")).join(" ")}
        fill="transparent"
        stroke="#c7a252"
        strokeOpacity=".8"
        className="cursor-move"
        {...grip}
        onPointerDown={down("move")}
      >
        <title>{layer.name}: drag to move</title>
      </polygon>
      <line x1={top[0]} y1={top[1]} x2={stalk[0]} y2={stalk[1]} stroke="#c7a252" />
      <circle
        cx={stalk[0]}
        cy={stalk[1]}
        r="6"
        fill="#1b1b1b"
        stroke="#c7a252"
        strokeWidth="1.5"
        className="cursor-grab"
        {...grip}
        onPointerDown={down("turn")}
      >
        <title>Turn (Shift: steps of 15°)</title>
      </circle>
      {corners.map(([x, y], i) => (
        <rect
          key={i}
          x={x - 5}
          y={y - 5}
          width="10"
          height="10"
          rx="2"
          fill="#c7a252"
          stroke="#1b1b1b"
          className="cursor-nwse-resize"
          {...grip}
          onPointerDown={down("scale")}
        >
          <title>Scale</title>
        </rect>
      ))}
      <g className="cursor-crosshair" {...grip} onPointerDown={down("pivot")}>
        <circle cx={cx} cy={cy} r="9" fill="transparent" />
        <path d={`M${cx - 7} ${cy}h5m4 0h5M${cx} ${cy - 7}v5m0 4v5`} stroke="#c7a252" strokeWidth="1.6" />
        <title>Pivot</title>
      </g>
    </g>
  );
}

const round = <T extends number[]>(v: T, digits: number): T => v.map((x) => Number(x.toFixed(digits))) as T;
