/** Asking for pictures of the shot and keeping them: what is on screen now, and frames ahead while playing. */
import { useCallback, useEffect, useRef, useState } from "react";
import { frames } from "../live/frames";
import { live } from "../live/socket";
import { isMatteView, useBench } from "../state/bench";

const DRAG_SCALE = 0.6; // of the shown scale while something is dragged

export interface Asked { frame: number; variant: string; scale: number; draft: boolean }

/** Which matte the view shows. */
const shownMatte = () => {
  const { view, selection } = useBench.getState();
  return isMatteView(view) && selection.kind === "matte" ? selection.id : "";
};

export function keyOf(a: Asked): string {
  const { id, stored, view } = useBench.getState();
  return `${id} ${stored?.revision} ${view} ${shownMatte()} ${a.variant} ${a.scale.toFixed(3)} ${a.frame}`;
}

/** Fetch one picture; kept by key unless an overlay is on it. Null when a newer request replaced it. */
export async function fetchPicture(a: Asked, channel: string | null): Promise<ImageBitmap | null> {
  const { id, stored, overlay, view } = useBench.getState();
  if (!id || !stored) return null;
  const key = keyOf(a);
  const clean = !overlay.length;
  const kept = clean ? frames.get(key) : undefined;
  if (kept) return kept;
  const jpeg = await live.ask({ shot: id, revision: stored.revision, overlay, frame: a.frame, scale: a.scale, view, matte: shownMatte(), variant: a.variant, draft: a.draft, channel });
  if (!jpeg) return null;
  const bitmap = await createImageBitmap(jpeg);
  if (clean && !a.draft) frames.put(key, bitmap);
  return bitmap;
}

/** The newest picture for what is asked; `problem` says why there is none. */
export function usePicture(variant: string, scale: number, channel: string, wanted = true) {
  const { frame, stored, overlay, view, playing, id, selection } = useBench();
  const matte = isMatteView(view) ? selection : null;
  const [picture, setPicture] = useState<ImageBitmap | null>(null);
  const [problem, setProblem] = useState("");
  const [loading, setLoading] = useState(false);
  const busy = useRef(false);
  const again = useRef(false);
  const dragging = overlay.length > 0;
  const asked = useRef({ variant, scale });
  useEffect(() => {
    asked.current = { variant, scale };
  }, [variant, scale]);
  const show = useCallback((bitmap: ImageBitmap) => {
    frames.show(channel, bitmap);
    setPicture(bitmap);
  }, [channel]);
  const load = useCallback(async () => {
    if (!wanted || !useBench.getState().stored) return;
    if (busy.current) {
      again.current = true;
      return;
    }
    busy.current = true;
    setLoading(true);
    try {
      do {
        again.current = false;
        const now = useBench.getState();
        const draft = now.overlay.length > 0;
        const { variant, scale } = asked.current; // what is wanted now, which may be another than when this loop began
        const bitmap = await fetchPicture({ frame: now.frame, variant, scale: draft ? scale * DRAG_SCALE : scale, draft }, channel);
        if (bitmap) {
          show(bitmap);
        }
        setProblem("");
      } while (again.current);
    } catch (error) {
      setProblem((error as Error).message);
    } finally {
      busy.current = false;
      setLoading(false);
    }
  }, [channel, wanted, show]);
  useEffect(() => {
    if (!playing || channel !== "view") void load();
  }, [load, frame, stored?.revision, overlay, view, matte, playing, dragging, id, channel, variant, scale]);
  return { picture, problem, loading, show };
}
