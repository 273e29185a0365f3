import { useState } from "react";
import type { Vec2 } from "../document/types";

const LEAST_PX = 8;

/** Takes the pointer while a box is dragged from corner to corner. */
export function DragBox({
  scale,
  origin,
  toShot,
  done,
}: {
  scale: number;
  origin: Vec2;
  toShot: (e: React.PointerEvent) => Vec2;
  done: (a: Vec2, b: Vec2) => void;
}) {
  const [ends, setEnds] = useState<[Vec2, Vec2] | null>(null);
  const up = () => {
    setEnds(null);
    if (ends && Math.min(...[0, 1].map((k) => Math.abs(ends[0][k] - ends[1][k]) * scale)) >= LEAST_PX) done(...ends);
  };
  const [x, y] = [0, 1].map((k) => (ends ? Math.min(ends[0][k], ends[1][k]) : 0) * scale + origin[k]);
  const [w, h] = [0, 1].map((k) => (ends ? Math.abs(ends[0][k] - ends[1][k]) : 0) * scale);
  return (
    <svg
      className="absolute inset-0 h-full w-full cursor-crosshair touch-none"
      data-testid="drag-box"
      onPointerDown={(e) => {
        if (e.button !== 0 || e.altKey) return;
        e.stopPropagation();
        e.currentTarget.setPointerCapture(e.pointerId);
        setEnds([toShot(e), toShot(e)]);
      }}
      onPointerMove={(e) => ends && setEnds([ends[0], toShot(e)])}
      onPointerUp={up}
    >
      {ends && (
        <rect x={x} y={y} width={w} height={h} fill="#5fb3a1" fillOpacity=".08" stroke="#5fb3a1" strokeWidth="1.6" />
      )}
    </svg>
  );
}
