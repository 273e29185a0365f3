import { Fragment, useRef } from "react";
import { useCarried } from "../api/client";
import { IDENTITY, inverse, through, type Matrix } from "../document/geometry";
import { outlineAt, outlinePath, setOutline } from "../document/mattes";
import { moved, nearest, outward, pathOf, rounded, softEdge } from "../document/outline";
import type { Op, Outline, ShapePiece, Vec2 } from "../document/types";
import { useBench, usePick } from "../state/bench";
import { addPointAt, convertPoints } from "../tools/shaping";
import { piecesOf } from "../document/layers";

const ROSE = "#cf7d8c";
const NEAR_PX = 12;

/** The outlines of the selected matte; those of the chosen piece can be taken hold of. */
export function Outlines({
  scale,
  toShot,
}: {
  scale: number;
  toShot: (e: React.PointerEvent | React.MouseEvent) => Vec2;
}) {
  const { shot, stored, selection, frame, piece, tool } = usePick(
    "shot",
    "stored",
    "selection",
    "frame",
    "piece",
    "tool",
  );
  const matte = selection.kind === "matte" ? shot?.mattes[selection.id] : undefined;
  const riding = matte && piecesOf(matte).some((p) => p.kind === "shape" && p.ride);
  const matrices = useCarried(riding ? (stored?.id ?? null) : null, stored?.revision ?? 0, frame);
  if (!matte) return null;
  return (
    <>
      {piecesOf(matte).map((p) => {
        if (p.kind !== "shape" || !p.on) return null;
        const carried = p.ride ? matrices?.[`${matte.id}/${p.id}`] : IDENTITY;
        if (!carried) return null;
        const path = outlinePath(matte.id, p.id);
        return p.id === piece && tool === "move" ? (
          <Fragment key={p.id}>
            {neighbours(p, frame).map(([when, o]) => (
              <path
                key={when}
                d={pathOf(o, p.closed, shown(carried, scale))}
                fill="none"
                stroke={when < frame ? "#7fa7c4" : "#c7a252"}
                strokeOpacity=".6"
                strokeDasharray="1 4"
                strokeLinecap="round"
                data-testid={`neighbour-${when}`}
              />
            ))}
            <Editable piece={p} path={path} carried={carried} scale={scale} toShot={toShot} />
          </Fragment>
        ) : (
          <path
            key={p.id}
            d={pathOf(outlineAt(p, frame), p.closed, shown(carried, scale))}
            fill="none"
            stroke={ROSE}
            strokeOpacity=".55"
            strokeDasharray={p.how === "subtract" ? "2 4" : undefined}
            style={{ pointerEvents: "stroke", cursor: "pointer" }}
            onPointerDown={(e) => {
              e.stopPropagation();
              useBench.setState({ piece: p.id, points: [] });
            }}
            data-testid={`outline-${p.name}`}
          />
        );
      })}
    </>
  );
}

const shown =
  (carried: Matrix, scale: number) =>
  (p: Vec2): Vec2 => {
    const [x, y] = through(carried, p);
    return [x * scale, y * scale];
  };

/** The outline at the keys before and after this frame. */
function neighbours(piece: ShapePiece, frame: number): [number, Outline][] {
  const before = piece.outline.keys.filter((k) => k.frame < frame).at(-1);
  const after = piece.outline.keys.find((k) => k.frame > frame);
  return [before, after].flatMap((k) => (k ? [[k.frame, k.value] as [number, Outline]] : []));
}

type Grip = { what: "points"; which: number[] } | { what: "before" | "after" | "outer" | "inner"; i: number };
interface Props {
  piece: ShapePiece;
  path: string;
  carried: Matrix;
  scale: number;
  toShot: (e: React.PointerEvent | React.MouseEvent) => Vec2;
}

/** Points as short ticks across the outline, handles on the chosen ones, the soft edge as a second, dashed outline. */
function Editable({ piece, path, carried, scale, toShot: pointer }: Props) {
  const { frame, points, set, draft, commit } = usePick("frame", "points", "set", "draft", "commit");
  const held = useRef<{ grip: Grip; from: Vec2; start: Outline; ops: Op[] } | null>(null);
  const back = inverse(carried);
  const toShot = (e: React.PointerEvent | React.MouseEvent) => through(back, pointer(e));
  const outline = outlineAt(piece, frame);
  const px = shown(carried, scale);
  const change = (grip: Grip, start: Outline, from: Vec2, now: Vec2, e: React.PointerEvent): Outline => {
    const by: Vec2 = [now[0] - from[0], now[1] - from[1]];
    if (grip.what === "points") return moved(start, grip.which, by);
    const p = start.points[grip.i];
    const put = (part: Partial<typeof p>): Outline => ({
      points: start.points.map((q, i) => (i === grip.i ? { ...q, ...part } : q)),
    });
    if (grip.what === "before" || grip.what === "after") {
      const to: Vec2 = [now[0] - p.at[0], now[1] - p.at[1]];
      const other = grip.what === "before" ? "after" : "before";
      const length = Math.hypot(...p[other]);
      const k = -length / (Math.hypot(...to) || 1);
      return put({
        [grip.what]: to,
        ...(e.shiftKey || length < 1e-6 ? {} : { [other]: [to[0] * k, to[1] * k] as Vec2 }),
      });
    }
    const [nx, ny] = outward(start, grip.i, piece.closed);
    const reach = Math.max(0, ((now[0] - p.at[0]) * nx + (now[1] - p.at[1]) * ny) * (grip.what === "outer" ? 1 : -1));
    const which = points.includes(grip.i) ? points : [grip.i];
    return { points: start.points.map((q, i) => (which.includes(i) ? { ...q, [grip.what]: reach } : q)) };
  };
  const take = (grip: Grip) => ({
    style: { pointerEvents: "auto" as const },
    onPointerDown: (e: React.PointerEvent) => {
      if (e.button !== 0 || e.altKey) return;
      e.stopPropagation();
      e.currentTarget.setPointerCapture(e.pointerId);
      held.current = { grip, from: toShot(e), start: outline, ops: [] };
    },
    onPointerMove: (e: React.PointerEvent) => {
      const d = held.current;
      if (!d) return;
      d.ops = setOutline(
        useBench.getState().base!,
        path,
        frame,
        rounded(change(d.grip, d.start, d.from, toShot(e), e)),
      );
      draft(d.ops);
    },
    onPointerUp: () => {
      const d = held.current;
      held.current = null;
      if (!d?.ops.length) return;
      const label =
        d.grip.what === "points"
          ? d.grip.which.length === outline.points.length
            ? `move ${piece.name}`
            : `move points of ${piece.name}`
          : d.grip.what === "outer" || d.grip.what === "inner"
            ? `soften the edge of ${piece.name}`
            : `bend ${piece.name}`;
      void commit(label, d.ops);
    },
  });
  const pointGrip = (i: number) => {
    const grip = take({ what: "points", which: points.includes(i) ? points : [i] });
    return {
      ...grip,
      onPointerDown: (e: React.PointerEvent) => {
        if (e.shiftKey) {
          e.stopPropagation();
          set({ points: points.includes(i) ? points.filter((k) => k !== i) : [...points, i] });
          return;
        }
        if (!points.includes(i)) set({ points: [i] });
        grip.onPointerDown(e);
      },
      onDoubleClick: (e: React.MouseEvent) => {
        e.stopPropagation();
        convertPoints([i]);
      },
    };
  };
  const every = outline.points.map((_, i) => i);
  const addHere = (e: React.MouseEvent) => {
    const at = toShot(e);
    const hit = nearest(outline, piece.closed, at);
    if (hit.away * scale < NEAR_PX) addPointAt(hit.i, Math.min(Math.max(hit.t, 0.05), 0.95));
  };
  const d = pathOf(outline, piece.closed, px);
  const soft = (["outer", "inner"] as const).map((side) => ({ side, edge: softEdge(outline, piece.closed, side) }));
  return (
    <g data-testid="outline">
      {piece.closed && (
        <path
          d={d}
          fill="transparent"
          className="cursor-move"
          {...take({ what: "points", which: every })}
          onDoubleClick={addHere}
        >
          <title>{piece.name}: drag to move it; double-click the outline to add a point</title>
        </path>
      )}
      <path d={d} fill="none" stroke="#1b1b1b" strokeWidth="3" strokeOpacity=".5" />
      <path d={d} fill="none" stroke={ROSE} strokeWidth="1.5" />
      <path
        d={d}
        fill="none"
        stroke="transparent"
        strokeWidth="9"
        className="cursor-move"
        {...take({ what: "points", which: every })}
        onDoubleClick={addHere}
      />
      {soft.map(
        ({ side, edge }) =>
          edge && (
            <path
              key={side}
              d={pathOf(edge, piece.closed, px)}
              fill="none"
              stroke={ROSE}
              strokeOpacity=".7"
              strokeDasharray="4 3"
            />
          ),
      )}
      {outline.points.map((p, i) => {
        const [x, y] = px(p.at);
        const out = outward(outline, i, piece.closed);
        const far = px([p.at[0] + out[0], p.at[1] + out[1]]);
        const length = Math.hypot(far[0] - x, far[1] - y) || 1;
        const [nx, ny] = [(far[0] - x) / length, (far[1] - y) / length];
        const chosen = points.includes(i);
        return (
          <g key={i}>
            {chosen &&
              (["before", "after"] as const).map((side) => {
                const [hx, hy] = px([p.at[0] + p[side][0], p.at[1] + p[side][1]]);
                if (Math.hypot(hx - x, hy - y) < 3) return null;
                return (
                  <g
                    key={side}
                    className="cursor-grab"
                    {...take({ what: side, i })}
                    data-testid={`handle-${side}-${i}`}
                  >
                    <path d={`M${x} ${y}L${hx} ${hy}`} stroke="#e6e4df" strokeOpacity=".6" />
                    <circle cx={hx} cy={hy} r="8" fill="transparent" />
                    <circle cx={hx} cy={hy} r="3.2" fill="#1b1b1b" stroke="#e6e4df" />
                  </g>
                );
              })}
            {chosen &&
              (["outer", "inner"] as const).map((side) => {
                const sign = side === "outer" ? 1 : -1;
                const edge = px([p.at[0] + sign * out[0] * p[side], p.at[1] + sign * out[1] * p[side]]);
                const [ex, ey] = [edge[0] + sign * nx * 14, edge[1] + sign * ny * 14]; // where it can be held even with no width yet
                return (
                  <g
                    key={side}
                    className="cursor-ns-resize"
                    {...take({ what: side, i })}
                    data-testid={`soft-${side}-${i}`}
                  >
                    <path d={`M${x} ${y}L${ex} ${ey}`} stroke={ROSE} strokeOpacity=".5" strokeDasharray="2 2" />
                    <circle cx={ex} cy={ey} r="9" fill="transparent" />
                    <path
                      d="M-4 0L0 -3L4 0"
                      transform={`translate(${ex} ${ey}) rotate(${(Math.atan2(sign * ny, sign * nx) * 180) / Math.PI + 90})`}
                      fill="none"
                      stroke={ROSE}
                      strokeWidth="1.6"
                    />
                    <title>
                      {side === "outer"
                        ? "Soft edge outside: drag away from the shape"
                        : "Soft edge inside: drag into the shape"}
                    </title>
                  </g>
                );
              })}
            <g
              transform={`translate(${x} ${y}) rotate(${(Math.atan2(ny, nx) * 180) / Math.PI})`}
              className="cursor-grab"
              {...pointGrip(i)}
              data-testid={`point-${i}`}
            >
              <circle r="9" fill="transparent" />
              <path d="M-6 0H6" stroke="#1b1b1b" strokeWidth="4.5" />
              <path d="M-5.5 0H5.5" stroke={chosen ? "#c7a252" : "#e6e4df"} strokeWidth="2.4" />
            </g>
          </g>
        );
      })}
    </g>
  );
}
