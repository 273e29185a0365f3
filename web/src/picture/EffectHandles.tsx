import { useCarried } from "../api/client";
import { sample } from "../document/animate";
import { IDENTITY, through, type Matrix } from "../document/geometry";
import type { Animated, Effect, Layer, Vec2 } from "../document/types";
import { usePick } from "../state/bench";
import { groupOf, looksOf } from "../document/layers";
import { STRAW, useGrip } from "./useGrip";

const RINGS = ["inner", "outer"] as const;
type Grip = "centre" | (typeof RINGS)[number];

/** Places of the selected layer's effects, and how far they reach, where their rides have taken them. */
export function EffectHandles({ scale, toShot }: { scale: number; toShot: (e: React.PointerEvent) => Vec2 }) {
  const { shot, stored, selection, frame } = usePick("shot", "stored", "selection", "frame");
  const layer = selection.kind === "layer" ? shot?.layers[selection.id] : undefined;
  const placed = layer ? looksOf(layer).filter((effect) => effect.on && effect.centre) : [];
  const rides = layer !== undefined && (placed.some((effect) => effect.ride) || groupOf(shot!, layer.id) !== null);
  const matrices = useCarried(rides ? (stored?.id ?? null) : null, stored?.revision ?? 0, frame);
  if (!layer) return null;
  return placed.map((effect) => {
    const carried = rides ? matrices?.[`${layer.id}:${effect.id}`] : IDENTITY;
    return carried ? (
      <Centre
        key={effect.id}
        layer={layer}
        effect={effect}
        path={`/layers/${layer.id}/effects/${effect.id}`}
        carried={carried}
        scale={scale}
        toShot={toShot}
      />
    ) : null;
  });
}

function Centre({
  layer,
  effect,
  path,
  carried,
  scale,
  toShot,
}: {
  layer: Layer;
  effect: Effect;
  path: string;
  carried: Matrix;
  scale: number;
  toShot: (e: React.PointerEvent) => Vec2;
}) {
  const { frame } = usePick("frame");
  const centre = sample(effect.centre as Animated<Vec2>, frame);
  const px = (p: Vec2) => through(carried, p).map((v) => v * scale) as Vec2;
  const [x, y] = px(centre);
  const round = (v: number) => Number(v.toFixed(2));
  const held = useGrip(carried, centre, toShot);
  const grip = (what: Grip) => ({
    style: { pointerEvents: (what === "centre" ? "auto" : "stroke") as "auto" | "stroke" },
    ...held({
      path: `${path}/${what}`,
      value: (at, by) =>
        what === "centre"
          ? [round(at[0] + by[0]), round(at[1] + by[1])]
          : round(Math.max(1, Math.hypot(at[0] - centre[0], at[1] - centre[1]))),
      label: `${what === "centre" ? "move the centre" : "change the reach"} of ${effect.kind} of ${layer.name}`,
    }),
  });
  const ring = (radius: number) =>
    Array.from({ length: 49 }, (_, i) =>
      px([centre[0] + radius * Math.cos((i * Math.PI) / 24), centre[1] + radius * Math.sin((i * Math.PI) / 24)]).join(
        ",",
      ),
    ).join(" ");
  return (
    <g data-testid="effect-handle">
      {RINGS.filter((k) => effect[k]).map((k) => {
        const points = ring(sample(effect[k] as Animated<number>, frame));
        return (
          <g key={k} className="cursor-ew-resize">
            <polyline
              points={points}
              fill="none"
              stroke={STRAW}
              strokeWidth="1.2"
              strokeDasharray={k === "outer" ? "4 4" : undefined}
              opacity=".8"
              style={{ pointerEvents: "none" }}
            />
            <polyline
              points={points}
              fill="none"
              stroke="transparent"
              strokeWidth="9"
              data-testid={`reach-${k}`}
              {...grip(k)}
            >
              <title>{k === "inner" ? "Full within" : "Gone beyond"}: drag</title>
            </polyline>
          </g>
        );
      })}
      <g transform={`translate(${x},${y})`} className="cursor-grab" data-testid="effect-centre" {...grip("centre")}>
        <circle r="11" fill="transparent" />
        <circle r="5" fill="#1b1b1b" fillOpacity=".7" stroke={STRAW} strokeWidth="1.8" />
        <path d="M0 -9v3M0 6v3M-9 0h3M6 0h3" stroke={STRAW} strokeWidth="1.8" />
        <title>Centre: drag</title>
      </g>
    </g>
  );
}
