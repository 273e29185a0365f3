/** Playing: the clock runs at the shot's rate over frames that are at hand, and waits for those that are not. */
import { useEffect } from "react";
import { frames } from "../live/frames";
import { useBench } from "../state/bench";
import { usePlayhead } from "../state/playhead";
import { fps } from "../document/names";
import { fetchPicture, nameOf, WHOLE } from "./usePictures";
import { footageOf } from "../document/layers";

const AHEAD = 12; // frames asked for in advance
const CREDITS = 4; // requests open at a time
const ACTS = ["keydown", "pointerdown"];
// how often the rest of the page is told of the frame: while everything is at hand, and while pictures are still waited for
const [FOLLOWS_MS, WAITING_FOLLOWS_MS] = [400, 1200];

/** Pictures are shown as they come due. */
export function usePlayback(scale: number, show: (bitmap: ImageBitmap) => void): void {
  const playing = useBench((s) => s.playing);
  useEffect(() => {
    if (!playing) return undefined;
    let stopped = false;
    let open = 0;
    const { shot, loop, frame: start } = useBench.getState();
    if (!shot) return undefined;
    const [first, last] = loop ?? shot.trim;
    const length = last - first + 1;
    const rate = fps(shot.rate);
    let position = start < first || start >= last ? first : start;
    let due = performance.now();
    let told = start;
    let toldAt = 0;
    const tell = (frame: number) => {
      if (useBench.getState().frame !== told) return; // somebody went elsewhere meanwhile
      told = frame;
      useBench.setState({ frame });
    };
    const sound = soundOf();
    const asked = (frame: number) => ({ frame, look: WHOLE, scale, draft: false });
    const fill = () => {
      for (let i = 0; i < Math.min(AHEAD, length) && open < CREDITS; i += 1) {
        const frame = first + ((position - first + i) % length);
        const key = nameOf(asked(frame));
        if (frames.has(key) || pending.has(key)) continue;
        open += 1;
        pending.add(key);
        void fetchPicture(asked(frame), null)
          .catch(() => undefined)
          .finally(() => {
            pending.delete(key);
            open -= 1;
          });
      }
    };
    const pending = new Set<string>();
    const tick = (now: number) => {
      if (stopped) return;
      fill();
      if (now >= due) {
        const bitmap = frames.get(nameOf(asked(position)));
        if (bitmap) {
          show(bitmap);
          usePlayhead.setState({ at: position });
          if (now - toldAt > (pending.size ? WAITING_FOLLOWS_MS : FOLLOWS_MS)) {
            toldAt = now;
            tell(position);
          }
          if (sound) keepSound(sound, position / rate);
          due += 1000 / rate;
          if (now - due > 250) due = now + 1000 / rate;
          position = first + ((position - first + 1) % length);
        } else {
          sound?.pause();
          due = now;
        }
      }
      requestAnimationFrame(tick);
    };
    requestAnimationFrame(tick);
    // whatever is done meanwhile is done at the frame that is on screen
    const act = () => {
      const { at } = usePlayhead.getState();
      if (at !== null) tell(at);
    };
    for (const kind of ACTS) addEventListener(kind, act, true);
    return () => {
      stopped = true;
      for (const kind of ACTS) removeEventListener(kind, act, true);
      sound?.pause();
      act();
      usePlayhead.setState({ at: null });
    };
  }, [playing, scale, show]);
}

function soundOf(): HTMLAudioElement | null {
  const shot = useBench.getState().shot;
  const plate = shot?.plate ? shot.layers[shot.plate] : undefined;
  const footage = shot?.footage[footageOf(plate) ?? ""];
  return footage?.sound ? new Audio(`/api/media/${footage.media}/sound.wav`) : null;
}

function keepSound(sound: HTMLAudioElement, seconds: number): void {
  if (Math.abs(sound.currentTime - seconds) > 0.12) sound.currentTime = seconds;
  if (sound.paused) void sound.play().catch(() => undefined);
}
