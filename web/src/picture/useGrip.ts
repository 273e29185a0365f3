import { useRef, useState } from "react";
import { inverse, through, type Matrix } from "../document/geometry";
import { setValue } from "../document/ops";
import type { Op, Vec2 } from "../document/types";
import { useBench, usePick } from "../state/bench";

export const STRAW = "#e0cf8a"; // of handles of what is not a layer's box

/** What is dragged: where its value stands, what it becomes with the place it is dragged to, and what that is called. */
export interface Grip {
  path: string;
  value: (at: Vec2, by: Vec2) => unknown;
  label: string;
}

/** Pointer handlers for handles that lie in the picture where `carried` takes them; `from` is the place they are about. */
export function useGrip(carried: Matrix, from: Vec2, toShot: (e: React.PointerEvent) => Vec2) {
  const { frame, draft, commit } = usePick("frame", "draft", "commit");
  const held = useRef<{ by: Vec2; ops: Op[] } | null>(null);
  const at = (e: React.PointerEvent) => through(inverse(carried), toShot(e));
  return (grip: Grip) => ({
    onPointerDown: (e: React.PointerEvent) => {
      if (e.button !== 0 || e.altKey) return;
      e.stopPropagation();
      e.currentTarget.setPointerCapture(e.pointerId);
      const [x, y] = at(e);
      held.current = { by: [from[0] - x, from[1] - y], ops: [] };
    },
    onPointerMove: (e: React.PointerEvent) => {
      const d = held.current;
      if (!d) return;
      d.ops = setValue(useBench.getState().base!, grip.path, frame, grip.value(at(e), d.by));
      draft(d.ops);
    },
    onPointerUp: () => {
      const d = held.current;
      held.current = null;
      if (d?.ops.length) void commit(grip.label, d.ops);
    },
  });
}

/**
 * The same for marks that are no parameters: which is dragged and where it is drawn meanwhile; `done` is called once
 * it is let go.
 */
export function useMoved<T>(toShot: (e: React.PointerEvent) => Vec2, done: (mark: T, to: Vec2) => void) {
  const [moved, setMoved] = useState<{ mark: T; at: Vec2 } | null>(null);
  const held = useRef(false);
  const grip = (mark: T) => ({
    onPointerDown: (e: React.PointerEvent) => {
      if (e.button !== 0 || e.altKey) return;
      e.stopPropagation();
      e.currentTarget.setPointerCapture(e.pointerId);
      held.current = true;
    },
    onPointerMove: (e: React.PointerEvent) => held.current && setMoved({ mark, at: toShot(e) }),
    onPointerUp: () => {
      held.current = false;
      if (!moved) return;
      setMoved(null);
      done(moved.mark, moved.at);
    },
  });
  return { moved, grip };
}
