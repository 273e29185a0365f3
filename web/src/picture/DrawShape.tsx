import { useEffect, useState } from "react";
import { pathOf } from "../document/outline";
import type { Outline, OutlinePoint, Vec2 } from "../document/types";
import type { ShapeTool } from "../state/bench";
import { boxed, byHand, finishShape } from "../tools/shaping";

const CLOSE_PX = 10;
const LEAST_PX = 4;

/** Takes the pointer while a shape is drawn: clicks for an outline, a drag for a box or a stroke. */
export function DrawShape({
  tool,
  scale,
  origin,
  toShot,
}: {
  tool: ShapeTool;
  scale: number;
  origin: Vec2;
  toShot: (e: React.PointerEvent) => Vec2;
}) {
  const [points, setPoints] = useState<OutlinePoint[]>([]);
  const [trail, setTrail] = useState<Vec2[]>([]);
  const [at, setAt] = useState<Vec2 | null>(null);
  const clicked = tool === "outline";
  const end = () => {
    if (points.length >= 3) finishShape({ points }, true);
  };
  useEffect(() => {
    const key = (e: KeyboardEvent) => {
      if (!clicked) return;
      if (e.key === "Enter") {
        e.preventDefault();
        e.stopImmediatePropagation();
        end();
      }
      if (e.key === "Backspace" && points.length) {
        e.preventDefault();
        e.stopImmediatePropagation();
        setPoints(points.slice(0, -1));
      }
    };
    window.addEventListener("keydown", key, true);
    return () => window.removeEventListener("keydown", key, true);
  });
  const px = ([x, y]: Vec2): Vec2 => [origin[0] + x * scale, origin[1] + y * scale];
  const far = (a: Vec2, b: Vec2) => Math.hypot(a[0] - b[0], a[1] - b[1]) * scale;
  const down = (e: React.PointerEvent) => {
    if (e.button !== 0 || e.altKey) return;
    e.stopPropagation();
    e.currentTarget.setPointerCapture(e.pointerId);
    const p = toShot(e);
    if (!clicked) return setTrail([p]);
    if (points.length >= 3 && far(points[0].at, p) < CLOSE_PX) return end();
    setPoints([...points, { at: p, before: [0, 0], after: [0, 0], outer: 0, inner: 0 }]);
    setTrail([p]);
  };
  const move = (e: React.PointerEvent) => {
    const p = toShot(e);
    setAt(p);
    if (!trail.length) return;
    if (!clicked) return setTrail(tool === "freehand" || tool === "stroke" ? [...trail, p] : [trail[0], p]);
    if (far(trail[0], p) < LEAST_PX) return;
    const last = points.at(-1)!; // dragging on bends the outline through the point
    const after: Vec2 = [p[0] - last.at[0], p[1] - last.at[1]];
    setPoints([...points.slice(0, -1), { ...last, after, before: [-after[0], -after[1]] }]);
  };
  const up = () => {
    const drawn = trail;
    setTrail([]);
    if (clicked || drawn.length < 2 || far(drawn[0], drawn.at(-1)!) + drawn.length < LEAST_PX * 2) return;
    if (tool === "rectangle" || tool === "ellipse") finishShape(boxed(tool, drawn[0], drawn.at(-1)!), true);
    else if (drawn.length > 6) finishShape(byHand(drawn, tool === "freehand", scale), tool === "freehand");
  };
  const preview: Outline | null = clicked
    ? {
        points: [
          ...points,
          ...(at && !trail.length ? [{ at, before: [0, 0] as Vec2, after: [0, 0] as Vec2, outer: 0, inner: 0 }] : []),
        ],
      }
    : trail.length > 1 && (tool === "rectangle" || tool === "ellipse")
      ? boxed(tool, trail[0], trail[1])
      : null;
  const closing = clicked && points.length >= 3 && at !== null && far(points[0].at, at) < CLOSE_PX;
  return (
    <svg
      className="absolute inset-0 h-full w-full cursor-crosshair touch-none"
      data-testid="draw-shape"
      onPointerDown={down}
      onPointerMove={move}
      onPointerUp={up}
      onDoubleClick={end}
    >
      {preview && preview.points.length > 1 && (
        <path d={pathOf(preview, !clicked || closing, px)} fill="none" stroke="#cf7d8c" strokeWidth="1.5" />
      )}
      {!preview && trail.length > 1 && (
        <polyline points={trail.map((p) => px(p).join(",")).join(" ")} fill="none" stroke="#cf7d8c" strokeWidth="1.5" />
      )}
      {clicked &&
        points.map((p, i) => {
          const [x, y] = px(p.at);
          return (
            <circle
              key={i}
              cx={x}
              cy={y}
              r={i === 0 && closing ? 7 : 3}
              fill={i === 0 ? "#c7a252" : "#e6e4df"}
              stroke="#1b1b1b"
            />
          );
        })}
    </svg>
  );
}

export const SHAPE_SAYS: Record<ShapeTool, string> = {
  outline: "Click point by point, drag to bend; click the first point or press Enter to close.",
  rectangle: "Drag from corner to corner.",
  ellipse: "Drag from corner to corner of its box.",
  freehand: "Draw round the thing and let go.",
  stroke: "Draw a line and let go; its width is in the sheet.",
};
