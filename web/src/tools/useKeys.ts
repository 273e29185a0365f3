import { useEffect } from "react";
import { FRESH_TOOLS } from "../state/tools";
import { useBench } from "../state/bench";
import { ACTIONS, comboOf } from "./actions";
import { nudge } from "./shaping";

const ARROWS: Record<string, [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};

/** Shortcuts, unless something is being typed or a dialog is open. Holding ` shows the picture without the selection. */
export function useKeys(): void {
  useEffect(() => {
    const down = (e: KeyboardEvent) => {
      const target = e.target as HTMLElement;
      const { dialog, set, tool } = useBench.getState();
      if (target.closest("input:not([type=color]), textarea, select, [role=menu], [role=dialog]") || dialog !== "none")
        return;
      if (e.key === "`") {
        if (!e.repeat) set({ peek: true });
        e.preventDefault();
        return;
      }
      if (e.key === "Escape") set(tool !== "move" ? FRESH_TOOLS : { drawer: null, keys: [], points: [] });
      if (e.key === " " && target.closest("button, [role=button]")) target.blur();
      const step = ARROWS[e.key];
      if (step && (e.ctrlKey || e.metaKey) && nudge(step.map((v) => v * (e.shiftKey ? 10 : 1)) as [number, number])) {
        e.preventDefault();
        return;
      }
      const action = ACTIONS.find((a) => a.keys === comboOf(e));
      if (!action) return;
      e.preventDefault();
      action.run();
    };
    const up = (e: KeyboardEvent) => {
      if (e.key === "`") useBench.setState({ peek: false });
    };
    window.addEventListener("keydown", down);
    window.addEventListener("keyup", up);
    return () => {
      window.removeEventListener("keydown", down);
      window.removeEventListener("keyup", up);
    };
  }, []);
}
