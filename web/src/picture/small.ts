/** Addresses of small pictures of the shot that is open, with something laid over it. */
import type { Op } from "../document/types";
import { usePick } from "../state/bench";

export const SMALL = 168;

/** What the shot would look like with a change, about a layer, at the frame that is shown; null while none is open. */
export function useSmall(layer: string): ((ops: Op[]) => string) | null {
  const { stored, frame } = usePick("stored", "frame");
  if (!stored) return null;
  return (ops) => {
    const asked = new URLSearchParams({
      revision: String(stored.revision),
      width: String(SMALL),
      about: layer,
      over: JSON.stringify(ops),
    });
    return `/api/shots/${stored.id}/frame/${frame}.jpg?${asked}`;
  };
}
