/** What the parts of the colour sheet share. */
import { useRef } from "react";
import { at, setValue } from "../document/ops";
import type { Control, Op, Shot } from "../document/types";
import { useBench, usePick } from "../state/bench";

/** Some parameters of one effect that are drawn together; `path` is the effect's pointer in the shot. */
export interface Coloured {
  path: string;
  owner: string;
  layer: string;
  effect: string;
  controls: Control[];
}

/** Whether the shot has them all: an effect that was only just added is not filled in yet. */
export const filledIn = (shot: Shot | null, { path, controls }: Coloured): shot is Shot =>
  shot !== null && controls.every((c) => at(shot, `${path}/${c.name}`));

/** A value of the effect that is dragged: drawn while it is, laid in once it is let go. */
export function useDragged(path: string, label: string) {
  const { frame, draft, commit } = usePick("frame", "draft", "commit");
  const ops = useRef<Op[]>([]);
  return {
    drag: (value: unknown) => {
      ops.current = setValue(useBench.getState().base!, path, frame, value);
      draft(ops.current);
    },
    drop: () => {
      if (ops.current.length) void commit(label, ops.current);
      ops.current = [];
    },
    set: (value: unknown) => void commit(label, setValue(useBench.getState().base!, path, frame, value)),
  };
}
