import { useState } from "react";
import { useCarried } from "../api/client";
import { IDENTITY, inverse, through, type Matrix } from "../document/geometry";
import type { CutoutStroke, Vec2 } from "../document/types";
import { usePick } from "../state/bench";
import { addStroke, chosenCutout, shownFrame } from "../tools/cutouts";

const LOOK = {
  keep: { stroke: "#5fb3a1", strokeDasharray: undefined },
  remove: { stroke: "#e08763", strokeDasharray: "1 9" },
};

/** The strokes of the chosen cut-out on this frame; with a pen in hand, more are drawn. */
export function Strokes({
  scale,
  origin,
  toShot,
}: {
  scale: number;
  origin: Vec2;
  toShot: (e: React.PointerEvent) => Vec2;
}) {
  const { shot, stored, frame, tool, brush } = usePick("shot", "stored", "frame", "tool", "brush");
  const [trail, setTrail] = useState<Vec2[]>([]);
  const chosen = chosenCutout();
  const matrices = useCarried(chosen ? (stored?.id ?? null) : null, stored?.revision ?? 0, frame);
  if (!shot || !chosen) return null;
  const matrix: Matrix = matrices?.[`${chosen.matte}/${chosen.piece.id}`] ?? IDENTITY;
  const back = inverse(matrix);
  const size = Math.hypot(matrix[0], matrix[3]) || 1; // of a footage pixel in the shot
  const here = shownFrame(shot, chosen.piece.layer, frame);
  const pen = tool === "keep" || tool === "remove" ? tool : null;
  const px = (p: Vec2): string => {
    const [x, y] = through(matrix, p);
    return `${origin[0] + x * scale},${origin[1] + y * scale}`;
  };
  const line = (s: Pick<CutoutStroke, "points" | "width" | "keep">, key: React.Key) => (
    <polyline
      key={key}
      points={[...s.points, ...(s.points.length < 2 ? s.points : [])].map((p) => px(p as Vec2)).join(" ")}
      fill="none"
      {...LOOK[s.keep ? "keep" : "remove"]}
      strokeWidth={Math.max(2, Math.min(6, s.width * size * scale * 0.35))}
      strokeLinecap="round"
      strokeLinejoin="round"
      opacity=".9"
    />
  );
  const up = () => {
    if (trail.length && pen) void addStroke(trail, brush / size, pen === "keep");
    setTrail([]);
  };
  return (
    <svg
      className={`absolute inset-0 h-full w-full touch-none ${pen ? "cursor-crosshair" : "pointer-events-none"}`}
      data-testid="strokes"
      onPointerDown={(e) => {
        if (!pen || e.button !== 0 || e.altKey) return;
        e.stopPropagation();
        e.currentTarget.setPointerCapture(e.pointerId);
        setTrail([through(back, toShot(e))]);
      }}
      onPointerMove={(e) => trail.length && setTrail([...trail, through(back, toShot(e))])}
      onPointerUp={up}
    >
      {chosen.piece.strokes.filter((s) => s.frame === here).map((s, i) => line(s, i))}
      {trail.length > 0 && pen && line({ points: trail, width: brush / size, keep: pen === "keep" }, "now")}
    </svg>
  );
}
