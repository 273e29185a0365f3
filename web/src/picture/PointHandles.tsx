import { useRef } from "react";
import { useAbout, useCarried } from "../api/client";
import { sample } from "../document/animate";
import { inverse, through, type Matrix } from "../document/geometry";
import { setValue } from "../document/ops";
import type { Animated, Control, Layer, Op, Vec2 } from "../document/types";
import { useBench, usePick } from "../state/bench";

const STRAW = "#e0cf8a";

/** The places of what the selected layer makes (where a gradient ends, where particles come from), where their rides have taken them. */
export function PointHandles({ scale, toShot }: { scale: number; toShot: (e: React.PointerEvent) => Vec2 }) {
  const { shot, stored, selection, frame } = usePick("shot", "stored", "selection", "frame");
  const about = useAbout().data;
  const layer = selection.kind === "layer" ? shot?.layers[selection.id] : undefined;
  const params = about?.contents.find((c) => c.kind === layer?.content.kind)?.params ?? [];
  const points = params.filter((p) => p.widget === "point");
  const matrices = useCarried(points.length ? (stored?.id ?? null) : null, stored?.revision ?? 0, frame);
  if (!layer) return null;
  return points.map((point) => {
    const carried = matrices?.[`${layer.id}:${point.name}`];
    return carried ? (
      <Point key={point.name} layer={layer} point={point as Control} carried={carried} scale={scale} toShot={toShot} />
    ) : null;
  });
}

function Point({
  layer,
  point,
  carried,
  scale,
  toShot,
}: {
  layer: Layer;
  point: Control;
  carried: Matrix;
  scale: number;
  toShot: (e: React.PointerEvent) => Vec2;
}) {
  const { frame, draft, commit } = usePick("frame", "draft", "commit");
  const held = useRef<{ by: Vec2; ops: Op[] } | null>(null);
  const back = inverse(carried);
  const at = sample((layer.content as unknown as Record<string, Animated<Vec2>>)[point.name], frame);
  const [x, y] = through(carried, at).map((v) => v * scale);
  return (
    <g
      transform={`translate(${x},${y})`}
      className="cursor-grab"
      style={{ pointerEvents: "auto" }}
      data-testid={`point-${point.name}`}
      onPointerDown={(e) => {
        if (e.button !== 0 || e.altKey) return;
        e.stopPropagation();
        e.currentTarget.setPointerCapture(e.pointerId);
        const p = through(back, toShot(e));
        held.current = { by: [at[0] - p[0], at[1] - p[1]], ops: [] };
      }}
      onPointerMove={(e) => {
        const d = held.current;
        if (!d) return;
        const p = through(back, toShot(e));
        const value = [p[0] + d.by[0], p[1] + d.by[1]].map((v) => Number(v.toFixed(1)));
        d.ops = setValue(useBench.getState().base!, `/layers/${layer.id}/content/${point.name}`, frame, value);
        draft(d.ops);
      }}
      onPointerUp={() => {
        const d = held.current;
        held.current = null;
        if (d?.ops.length) void commit(`move ${point.title.toLowerCase()} of ${layer.name}`, d.ops);
      }}
    >
      <circle r="11" fill="transparent" />
      <path d="M0 -6L6 0L0 6L-6 0Z" fill="#1b1b1b" fillOpacity=".7" stroke={STRAW} strokeWidth="1.8" />
      <text x="10" y="4" fontSize="11" fill={STRAW} stroke="#000" strokeWidth="2.5" paintOrder="stroke">
        {point.title}
      </text>
      <title>{point.title}: drag</title>
    </g>
  );
}
