/** Asking for pictures of the shot and keeping them: what is on screen now, and frames ahead while playing. */
import { useCallback, useEffect, useRef, useState } from "react";
import { frames } from "../live/frames";
import { live, type Look } from "../live/socket";
import { isMatteView, useBench, usePick } from "../state/bench";
import { headNow, usePlayhead } from "../state/playhead";

const DRAG_SCALE = 0.6; // of the shown scale while something is dragged
const KEYS_AT_ONCE = 24;

export interface Asked {
  frame: number;
  look: Look;
  scale: number;
  draft: boolean;
}
export const WHOLE: Look = {};

/** The look with the channels, or the matte, that are chosen. */
function lookOf(look: Look): Look {
  const { view, selection } = useBench.getState();
  return { ...look, view, matte: isMatteView(view) && selection.kind === "matte" ? selection.id : "" };
}

/** What names a frame looked at in one way at any revision. */
const sightOf = (a: Asked): string => {
  const { of = "shot", layer = "", without = "", effect = "", view, matte } = lookOf(a.look);
  const what = [useBench.getState().id, of, layer, without, effect, view, matte].join(" ");
  return `${what} ${a.scale.toFixed(3)} ${a.frame}`;
};

/** What names the picture of it at the stored revision. */
export const nameOf = (a: Asked): string => `${useBench.getState().stored?.revision} ${sightOf(a)}`;

/** Fetch one picture; kept unless something is laid over the shot. Null when a newer request replaced it. */
export async function fetchPicture(a: Asked, channel: string | null): Promise<ImageBitmap | null> {
  const { id, stored, overlay } = useBench.getState();
  if (!id || !stored) return null;
  const sight = sightOf(a);
  const name = overlay.length ? null : nameOf(a); // what is not stored yet has no revision
  const kept = name === null ? undefined : frames.get(name);
  if (kept) return kept;
  const have = a.draft ? [] : frames.keysOf(sight);
  const { revision } = stored;
  const wanted = { shot: id, revision, overlay, frame: a.frame, scale: a.scale, look: lookOf(a.look), draft: a.draft };
  const answer = await live.ask({ ...wanted, have, channel });
  if (!answer) return null;
  if (!answer.jpeg) {
    frames.name(name, sight, answer.key);
    return frames.ofKey(answer.key) ?? fetchPicture(a, channel); // dropped meanwhile: it is not among those we have any more
  }
  const bitmap = await createImageBitmap(answer.jpeg);
  if (!a.draft) frames.put(name, sight, answer.key, bitmap);
  return bitmap;
}

/** After an edit: ask which of the pictures that are here still hold, those near the present frame first. */
export async function recognise(look: Look, scale: number): Promise<void> {
  const { id, stored, shot, frame, overlay } = useBench.getState();
  if (!id || !stored || !shot || overlay.length) return;
  const asked = (f: number): Asked => ({ frame: f, look, scale, draft: false });
  const [first, last] = shot.trim;
  const here = Array.from({ length: last - first + 1 }, (_, i) => first + i)
    .filter((f) => !frames.named(nameOf(asked(f))) && frames.keysOf(sightOf(asked(f))).length > 0)
    .sort((a, b) => Math.abs(a - frame) - Math.abs(b - frame));
  for (let i = 0; i < here.length; i += KEYS_AT_ONCE) {
    const some = here.slice(i, i + KEYS_AT_ONCE);
    const named = some.map((f) => ({ frame: f, name: nameOf(asked(f)), sight: sightOf(asked(f)) }));
    const wanted = { shot: id, revision: stored.revision, scale, look: lookOf(look), frames: some };
    const keys = await live.keys(wanted);
    for (const { frame: f, name, sight } of named) if (keys[f]) frames.name(name, sight, keys[f]);
    if (useBench.getState().stored?.revision !== stored.revision) return;
  }
}

/** Hands over the newest picture for what is asked as it comes; `problem` says why there is none. */
export function usePicture(
  look: Look,
  scale: number,
  channel: string,
  wanted: boolean,
  take: (bitmap: ImageBitmap) => void,
) {
  const { frame, stored, overlay, view, playing, id, selection } = usePick(
    "frame",
    "stored",
    "overlay",
    "view",
    "playing",
    "id",
    "selection",
  );
  const matte = isMatteView(view) ? selection : null;
  const [problem, setProblem] = useState("");
  const [loading, setLoading] = useState(false);
  const busy = useRef(false);
  const again = useRef(false);
  const dragging = overlay.length > 0;
  const asked = useRef({ look, scale });
  useEffect(() => {
    asked.current = { look, scale };
  }, [look, scale]);
  const show = useCallback(
    (bitmap: ImageBitmap) => {
      frames.show(channel, bitmap);
      take(bitmap);
    },
    [channel, take],
  );
  const load = useCallback(async () => {
    if (!wanted || !useBench.getState().stored) return;
    if (busy.current) {
      again.current = true;
      return;
    }
    busy.current = true;
    try {
      do {
        again.current = false;
        const now = useBench.getState();
        const draft = now.dragged.length > 0; // what is on its way is shown as it will be
        setLoading(!draft);
        const { look, scale } = asked.current; // what is wanted now, which may be another than when this loop began
        const bitmap = await fetchPicture(
          { frame: headNow(), look, scale: draft ? scale * DRAG_SCALE : scale, draft },
          channel,
        );
        if (bitmap) show(bitmap);
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
  }, [load, frame, stored?.revision, view, matte, playing, id, channel, look, scale]);
  useEffect(
    // what is beside the picture that plays keeps up with it
    () => (wanted && channel !== "view" ? usePlayhead.subscribe(() => void load()) : undefined),
    [load, wanted, channel],
  );
  useEffect(
    // while something is dragged: asked for at once, beside the page's being drawn anew
    () => useBench.subscribe((now, before) => void (now.overlay !== before.overlay && now.stored && load())),
    [load],
  );
  const revision = stored?.revision;
  useEffect(() => {
    if (wanted && !dragging) void recognise(look, scale).catch(() => undefined); // what is not recognised is asked for when it is wanted
  }, [revision, dragging, wanted, look, scale]);
  return { problem, loading, show };
}
