import { useRef, useState } from "react";
import type { DrawnCurve, Vec2 } from "../document/types";

const SIZE = 150;

/** A drawn curve: click to add a point, drag to move, Delete or double-click to remove; arrows nudge. */
export function CurveField({
  title,
  value,
  drag,
  set,
  wide,
}: {
  title: string;
  value: DrawnCurve;
  drag: (v: DrawnCurve) => void;
  set: (v: DrawnCurve) => void;
  wide?: boolean;
}) {
  const [held, setHeld] = useState<number | null>(null);
  const box = useRef<SVGSVGElement>(null);
  const points = value.points;
  const [rx, ry] = wide ? [2.1, 10.7] : [4, 4]; // round in a field that is stretched
  const here = (e: React.PointerEvent): Vec2 => {
    const r = box.current!.getBoundingClientRect();
    const to = (v: number) => Math.min(Math.max(v, 0), 1);
    return [to((e.clientX - r.left) / r.width), to(1 - (e.clientY - r.top) / r.height)];
  };
  const moved = (i: number, [x, y]: Vec2): DrawnCurve => {
    const low = i ? points[i - 1][0] + 0.005 : 0;
    const high = i < points.length - 1 ? points[i + 1][0] - 0.005 : 1;
    return {
      points: points.map((p, k) => (k === i ? [Math.min(Math.max(x, low), high), Math.min(Math.max(y, 0), 1)] : p)),
    };
  };
  const removed = (i: number) => (points.length > 2 ? set({ points: points.filter((_, k) => k !== i) }) : undefined);
  const add = (at: Vec2) => {
    const next = [...points, at].sort((a, b) => a[0] - b[0]);
    if (next.every((p, i) => !i || p[0] - next[i - 1][0] > 0.004)) set({ points: next });
  };
  return (
    <svg
      ref={box}
      viewBox={`0 0 ${SIZE} ${SIZE}`}
      role="group"
      aria-label={`${title} curve`}
      className={`touch-none border border-line bg-ground ${wide ? "block h-[56px] w-full" : "my-1 h-[120px] w-[150px] rounded"}`}
      preserveAspectRatio="none"
      onPointerMove={(e) => held !== null && drag(moved(held, here(e)))}
      onPointerUp={(e) => {
        if (held !== null) {
          set(moved(held, here(e)));
          setHeld(null);
        }
      }}
    >
      {[0.25, 0.5, 0.75].map((g) => (
        <path
          key={g}
          d={`M${g * SIZE} 0V${SIZE}M0 ${g * SIZE}H${SIZE}`}
          stroke="#303030"
          vectorEffect="non-scaling-stroke"
        />
      ))}
      <rect width={SIZE} height={SIZE} fill="transparent" onPointerDown={(e) => add(here(e))} />
      <polyline
        fill="none"
        stroke="#d8d5ce"
        strokeWidth="1.5"
        vectorEffect="non-scaling-stroke"
        pointerEvents="none"
        points={line(points)}
      />
      {points.map(([x, y], i) => (
        <rect
          key={i}
          x={x * SIZE - rx}
          y={(1 - y) * SIZE - ry}
          width={2 * rx}
          height={2 * ry}
          rx={rx}
          ry={ry}
          fill={held === i ? "#c7a252" : "#e6e4df"}
          tabIndex={0}
          role="button"
          aria-label={`Point ${i + 1}: ${x.toFixed(2)}, ${y.toFixed(2)}`}
          onPointerDown={(e) => {
            e.stopPropagation();
            box.current!.setPointerCapture(e.pointerId);
            setHeld(i);
          }}
          onDoubleClick={() => removed(i)}
          onKeyDown={(e) => {
            const by = { ArrowLeft: [-0.01, 0], ArrowRight: [0.01, 0], ArrowUp: [0, 0.01], ArrowDown: [0, -0.01] }[
              e.key
            ];
            if (by) {
              e.preventDefault();
              e.stopPropagation();
              set(moved(i, [x + by[0], y + by[1]]));
            }
            if (e.key === "Delete" || e.key === "Backspace") {
              e.stopPropagation();
              removed(i);
            }
          }}
        />
      ))}
    </svg>
  );
}

/** The curve as the server draws it: a monotone cubic through the points (PCHIP). */
export function line(points: Vec2[]): string {
  const n = points.length;
  const h = points.slice(1).map((p, i) => p[0] - points[i][0]);
  const d = points.slice(1).map((p, i) => (p[1] - points[i][1]) / h[i]);
  const end = (h0: number, h1: number, d0: number, d1: number) => {
    const m = ((2 * h0 + h1) * d0 - h0 * d1) / (h0 + h1);
    if (Math.sign(m) !== Math.sign(d0)) return 0;
    return Math.sign(d0) !== Math.sign(d1) && Math.abs(m) > 3 * Math.abs(d0) ? 3 * d0 : m;
  };
  const slope = points.map((_, i) => {
    if (n === 2) return d[0];
    if (i === 0) return end(h[0], h[1], d[0], d[1]);
    if (i === n - 1) return end(h[n - 2], h[n - 3], d[n - 2], d[n - 3]);
    if (d[i - 1] * d[i] <= 0) return 0;
    const [w0, w1] = [2 * h[i] + h[i - 1], h[i] + 2 * h[i - 1]];
    return (w0 + w1) / (w0 / d[i - 1] + w1 / d[i]);
  });
  const out: string[] = [];
  for (let k = 0; k <= 60; k += 1) {
    const x = k / 60;
    let i = 0;
    while (i < n - 2 && x > points[i + 1][0]) i += 1;
    const s = Math.min(Math.max((x - points[i][0]) / h[i], 0), 1);
    const y =
      (2 * s ** 3 - 3 * s ** 2 + 1) * points[i][1] +
      (s ** 3 - 2 * s ** 2 + s) * h[i] * slope[i] +
      (3 * s ** 2 - 2 * s ** 3) * points[i + 1][1] +
      (s ** 3 - s ** 2) * h[i] * slope[i + 1];
    out.push(`${(x * SIZE).toFixed(1)},${((1 - y) * SIZE).toFixed(1)}`);
  }
  return out.join(" ");
}
