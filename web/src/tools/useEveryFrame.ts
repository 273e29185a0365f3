import { useRef, useState } from "react";
import { useBench } from "../state/bench";

const AT_ONCE = 3;

export interface EveryFrame<T> {
  found: T[];
  running: boolean;
  /** Whether all have answered, about the document as it is. */
  current: boolean;
  /** Whether the document has changed since it was asked about. */
  stale: boolean;
  run: () => Promise<void>;
  stop: () => void;
}

/** A question to the server about every frame of the trim (or every `step`th), a few at a time; it can be stopped. */
export function useEveryFrame<T>(ask: (frame: number, revision: number) => Promise<T>, step = 1): EveryFrame<T> {
  const [found, setFound] = useState<T[]>([]);
  const [running, setRunning] = useState(false);
  const [about, setAbout] = useState<number | null>(null);
  const [whole, setWhole] = useState(false);
  const stopped = useRef(false);
  const revision = useBench((s) => s.stored?.revision);
  const run = async () => {
    stopped.current = false;
    setRunning(true);
    setFound([]);
    setWhole(false);
    const { landed, say } = useBench.getState();
    await landed();
    const { shot, stored } = useBench.getState();
    setAbout(stored!.revision);
    const all: T[] = [];
    try {
      const [first, last] = shot!.trim;
      for (let f = first; f <= last && !stopped.current; f += AT_ONCE * step) {
        const frames = Array.from({ length: AT_ONCE }, (_, i) => f + i * step).filter((n) => n <= last);
        all.push(...(await Promise.all(frames.map((frame) => ask(frame, stored!.revision)))));
        setFound([...all]);
      }
      setWhole(!stopped.current);
    } catch (error) {
      say((error as Error).message);
    }
    setRunning(false);
  };
  return {
    found,
    running,
    current: whole && about === revision,
    stale: about !== null && about !== revision,
    run,
    stop: () => {
      stopped.current = true;
    },
  };
}
