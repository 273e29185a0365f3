/** What marks of tracks share: where they lie, their way through the frames, how they are dragged. */
import { useRef, useState } from "react";
import type { Mark } from "../document/marks";
import type { Vec2 } from "../document/types";

export const put = ([x, y]: Vec2) => `translate(${x},${y})`;
export const centred = ([cx, cy]: Vec2) => ({ cx, cy });

export const GOOD = "#5fb3a1";
export const LOST = "#e08763";
export type ToShot = (e: React.PointerEvent) => Vec2;
/**
 * `px` takes the plate's pixels to the screen's, `toShot` to the shot's, `size` is how much larger lengths are
 * there, `toPlate` is the way back.
 */
export interface View {
  px: (p: Vec2) => Vec2;
  toShot: (p: Vec2) => Vec2;
  size: number;
  toPlate: ToShot;
  active: boolean;
}

/** The way of one point through all frames, lost stretches dashed; dots for the frames around this one. */
export function Trail({ all, point, frame, view }: { all: Mark[]; point: number; frame: number; view: View }) {
  const runs: Mark[][] = [];
  for (const m of all.filter((x) => x.places[point])) {
    const last = runs.at(-1)?.at(-1);
    if (last && last.frame === m.frame - 1 && last.lost === m.lost) runs.at(-1)!.push(m);
    else runs.push(last && last.frame === m.frame - 1 ? [last, m] : [m]);
  }
  const px = (m: Mark) =>
    view
      .px(m.places[point]!)
      .map((v) => v.toFixed(1))
      .join(",");
  return (
    <>
      {runs.map((run, i) => (
        <polyline
          key={i}
          points={run.map(px).join(" ")}
          fill="none"
          stroke={run.at(-1)!.lost ? LOST : GOOD}
          strokeWidth="1.4"
          strokeDasharray={run.at(-1)!.lost ? "3 4" : undefined}
          opacity=".9"
        />
      ))}
      {all
        .filter((m) => m.places[point] && Math.abs(m.frame - frame) <= 8 && m.frame !== frame)
        .map((m) => (
          <circle
            key={m.frame}
            {...centred(view.px(m.places[point]!))}
            r="1.8"
            fill={m.lost ? LOST : GOOD}
            opacity={1 - Math.abs(m.frame - frame) / 10}
          />
        ))}
    </>
  );
}

/** Something that is dragged from where it is: the offset is kept, the result told on release. */
export function useGrip(view: View, done: (moved: Vec2) => Promise<void>) {
  const [moved, setMoved] = useState<Vec2 | null>(null);
  const grabbed = useRef<Vec2 | null>(null);
  const grip = (at: Vec2) => ({
    style: { pointerEvents: (view.active ? "auto" : "none") as "auto" | "none" },
    onPointerDown: (e: React.PointerEvent) => {
      if (e.button !== 0 || e.altKey) return;
      e.stopPropagation();
      e.currentTarget.setPointerCapture(e.pointerId);
      const p = view.toPlate(e);
      grabbed.current = [at[0] - p[0], at[1] - p[1]];
    },
    onPointerMove: (e: React.PointerEvent) => {
      if (!grabbed.current) return;
      const p = view.toPlate(e);
      setMoved([p[0] + grabbed.current[0], p[1] + grabbed.current[1]]);
    },
    onPointerUp: () => {
      grabbed.current = null;
      if (moved) void done(moved).finally(() => setMoved(null));
    },
  });
  return { moved, grip };
}

/** The middle of what is tracked by four corners. */
export const middles = (all: Mark[]) =>
  all.map((m): Mark => ({
    ...m,
    places: m.places.length === 4 ? [[0, 1].map((k) => m.places.reduce((a, p) => a + p![k], 0) / 4) as Vec2] : [],
  }));

/** The outline of what is tracked by four corners. */
export function Quad({
  corners,
  lost,
  view,
  ...more
}: { corners: Vec2[]; lost: boolean; view: View } & React.SVGProps<SVGPolygonElement>) {
  const colour = lost ? LOST : GOOD;
  return (
    <polygon
      points={corners.map((c) => view.px(c).join(",")).join(" ")}
      fill={colour}
      fillOpacity=".07"
      stroke={colour}
      strokeWidth="1.6"
      strokeDasharray={lost ? "4 4" : undefined}
      {...more}
    />
  );
}
