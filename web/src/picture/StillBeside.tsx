import { useQuery } from "@tanstack/react-query";
import { X } from "lucide-react";
import { useEffect } from "react";
import { getShot, useShots } from "../api/client";
import type { Still } from "../state/looking";
import type { Choice } from "../ui/Menu";
import { useBench, usePick } from "../state/bench";

const WIDTH = 960; // px, at which a still is asked for

/** Holds the picture of this frame as it is now. */
export function holdStill(): void {
  const { id, stored, shot, frame, set } = useBench.getState();
  if (id && stored && shot)
    set({ still: { shot: id, name: stored.name, frame, frames: [0, shot.frames - 1], held: Date.now() } });
}

/** What can stand beside the picture. */
export function useStills(): Choice[] {
  const { id, still, set } = usePick("id", "still", "set");
  const shots = useShots().data ?? [];
  const group = "Beside it";
  return [
    { id: "held", label: "this frame as it is now", hint: "⇧J", group, act: holdStill },
    ...shots
      .filter((s) => s.id !== id && !s.problems.length)
      .map((s) => ({
        id: `still ${s.id}`,
        label: `a still of ${s.name}`,
        group,
        checked: still?.shot === s.id,
        act: () => set({ still: { shot: s.id, name: s.name, frame: s.trim[0], frames: s.trim, held: Date.now() } }),
      })),
    ...(still ? [{ id: "none", label: "nothing", group, act: () => set({ still: null }) }] : []),
  ];
}

/** The still that is held, to the right of the picture, with its frame to choose. */
export function StillBeside() {
  const { still, set } = usePick("still", "set");
  const picture = useStill(still);
  if (!still) return null;
  const moved = (frame: number) => set({ still: { ...still, frame, held: Date.now() } });
  return (
    <section
      aria-label="The still beside the picture"
      className="flex w-2/5 min-w-0 shrink-0 flex-col border-l border-line bg-ground"
    >
      <div className="flex h-8 items-center gap-2 px-3 text-small">
        <b className="truncate">{still.name}</b>
        <input
          type="range"
          aria-label="Frame of the still"
          className="min-w-12 flex-1 accent-brass"
          min={still.frames[0]}
          max={still.frames[1]}
          value={still.frame}
          onChange={(e) => moved(Number(e.target.value))}
        />
        <span className="mono">f {String(still.frame).padStart(4, "0")}</span>
        <button className="icon-btn" aria-label="Put the still away" onClick={() => set({ still: null })}>
          <X size={13} />
        </button>
      </div>
      <div className="flex min-h-0 flex-1 items-center justify-center p-2">
        {picture.data && (
          <img
            src={picture.data}
            alt={`${still.name}, frame ${still.frame}`}
            className="max-h-full max-w-full object-contain"
          />
        )}
        {picture.isError && (
          <p role="alert" className="text-warn">
            This still cannot be made any more: its shot is gone.
          </p>
        )}
        {picture.isPending && <p className="text-quiet">Making the still…</p>}
      </div>
    </section>
  );
}

/** Its picture, made once: what becomes of the shot afterwards does not change it. */
function useStill(still: Still | null) {
  const found = useQuery({
    queryKey: ["still", still?.shot, still?.frame, still?.held],
    enabled: still !== null,
    staleTime: Infinity,
    gcTime: 0,
    retry: false,
    queryFn: async () => {
      const { landed, id } = useBench.getState();
      if (still!.shot === id) await landed();
      const { revision } = await getShot(still!.shot);
      const address = `/api/shots/${still!.shot}/frame/${still!.frame}.jpg?width=${WIDTH}&revision=${revision}`;
      const answer = await fetch(address);
      if (!answer.ok) throw new Error(answer.statusText);
      return URL.createObjectURL(await answer.blob());
    },
  });
  useEffect(() => {
    const address = found.data;
    return () => {
      if (address) URL.revokeObjectURL(address);
    };
  }, [found.data]);
  return found;
}
