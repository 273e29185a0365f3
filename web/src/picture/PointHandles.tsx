import { useAbout, useCarried } from "../api/client";
import { sample } from "../document/animate";
import { through, type Matrix } from "../document/geometry";
import type { Animated, Control, Layer, Vec2 } from "../document/types";
import { usePick } from "../state/bench";
import { STRAW, useGrip } from "./useGrip";

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
  const { frame } = usePick("frame");
  const at = sample((layer.content as unknown as Record<string, Animated<Vec2>>)[point.name], frame);
  const [x, y] = through(carried, at).map((v) => v * scale);
  const grip = useGrip(carried, at, toShot);
  return (
    <g
      transform={`translate(${x},${y})`}
      className="cursor-grab"
      style={{ pointerEvents: "auto" }}
      data-testid={`point-${point.name}`}
      {...grip({
        path: `/layers/${layer.id}/content/${point.name}`,
        value: (p, by) => [p[0] + by[0], p[1] + by[1]].map((v) => Number(v.toFixed(1))),
        label: `move ${point.title.toLowerCase()} of ${layer.name}`,
      })}
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
