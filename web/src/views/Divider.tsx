import { useRef } from "react";
import { useLayout } from "../state/layout";

export const STRIP_PX = 186; // the film strip, the row of panes and this line
export const TRAY_PX = 16; // by how much the row of panes grows for a group that is shown open
export const [LEAST_LANES_PX, MOST_LANES_PX, LEAST_PICTURE_PX] = [56, 134, 120];
const STEP_PX = 16;

/**
 * The line between the picture and what lies under it: dragged, or moved with the arrow keys; a double click
 * gives the picture all it can use.
 */
export function Divider({ height, most }: { height: number; most: number }) {
  const setLanes = useLayout((s) => s.setLanes);
  const held = useRef<{ y: number; height: number } | null>(null);
  const to = (value: number) =>
    setLanes(Math.round(Math.min(Math.max(value, LEAST_LANES_PX), Math.max(most, LEAST_LANES_PX))));
  return (
    <div
      role="separator"
      tabIndex={0}
      aria-orientation="horizontal"
      aria-label="Between the picture and its time: drag"
      aria-valuenow={height}
      aria-valuemin={LEAST_LANES_PX}
      aria-valuemax={Math.max(most, LEAST_LANES_PX)}
      className="h-[4px] shrink-0 cursor-row-resize bg-line/40 hover:bg-brass focus-visible:bg-brass"
      title="Drag to share the page out; double-click for the largest picture"
      onDoubleClick={() => setLanes(null)}
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        held.current = { y: e.clientY, height };
      }}
      onPointerMove={(e) => held.current && to(held.current.height + held.current.y - e.clientY)}
      onPointerUp={() => {
        held.current = null;
      }}
      onKeyDown={(e) => {
        const by = e.key === "ArrowUp" ? STEP_PX : e.key === "ArrowDown" ? -STEP_PX : 0;
        if (!by) return;
        e.preventDefault();
        e.stopPropagation();
        to(height + by);
      }}
    />
  );
}
