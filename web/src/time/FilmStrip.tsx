import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { frames } from "../live/frames";
import { useBench, usePick, useShotAsAWhole } from "../state/bench";
import { got } from "../api/client";
import { Axis, frameAt, useAxis } from "./axis";
import { nameOf, WHOLE } from "../picture/usePictures";
import { footageOf } from "../document/layers";
import { Cues } from "./Cues";

const json = <T,>(url: string) =>
  got<T>(
    fetch(url).then(async (response) => ({
      data: response.ok ? await response.json() : undefined,
      error: response.ok ? undefined : {},
      response,
    })),
  );

/** Thumbnails of the plate over time, the playhead, in and out, cues, what is ready to play, the sound. */
export function FilmStrip() {
  const shot = useShotAsAWhole();
  const { seek, draft, commit, set } = usePick("seek", "draft", "commit", "set");
  const row = useRef<HTMLDivElement>(null);
  const axis = useAxis();
  const plate = shot?.plate ? shot.layers[shot.plate] : undefined;
  const footage = shot?.footage[footageOf(plate) ?? ""];
  const media = footage?.media;
  const strip = useQuery({
    queryKey: ["strip", media],
    enabled: !!media,
    staleTime: Infinity,
    queryFn: () => json<{ count: number; width: number; height: number }>(`/api/media/${media}/strip.json`),
  });
  const peaks = useQuery({
    queryKey: ["peaks", media],
    enabled: !!media && !!footage?.sound,
    staleTime: Infinity,
    queryFn: () => json<number[]>(`/api/media/${media}/peaks.json`),
  });
  if (!shot) return <div className="h-[66px] border-y border-line" />;
  const [a, b] = shot.trim;
  const scrub = (e: React.PointerEvent) => seek(frameAt(e, row.current!, shot.frames));
  const trim = (end: 0 | 1) => ({
    role: "slider",
    tabIndex: 0,
    "aria-label": end ? "Out: last frame of the trim" : "In: first frame of the trim",
    "aria-valuenow": shot.trim[end],
    "aria-valuemin": 0,
    "aria-valuemax": shot.frames - 1,
    onPointerDown: (e: React.PointerEvent) => {
      e.stopPropagation();
      e.currentTarget.setPointerCapture(e.pointerId);
    },
    onPointerMove: (e: React.PointerEvent) => {
      if (!e.currentTarget.hasPointerCapture(e.pointerId)) return;
      const f = Math.round(frameAt(e, row.current!, shot.frames));
      draft([
        {
          op: "replace",
          path: "/trim",
          value: end ? [a, Math.max(a, Math.min(f, shot.frames - 1))] : [Math.min(Math.max(f, 0), b), b],
        },
      ]);
    },
    onPointerUp: () => void commit("trim the shot", [{ op: "replace", path: "/trim", value: shot.trim }]),
    onKeyDown: (e: React.KeyboardEvent) => {
      const by = e.key === "ArrowLeft" ? -1 : e.key === "ArrowRight" ? 1 : 0;
      if (!by) return;
      e.preventDefault();
      e.stopPropagation();
      const next: [number, number] = end
        ? [a, Math.min(Math.max(b + by, a), shot.frames - 1)]
        : [Math.max(Math.min(a + by, b), 0), b];
      void commit("trim the shot", [{ op: "replace", path: "/trim", value: next }]);
    },
  });
  const sound = peaks.data;
  return (
    <div className="flex h-[66px] shrink-0 border-y border-line">
      <div className="flex w-[112px] shrink-0 flex-col justify-around border-r border-line pl-3 text-small text-quiet">
        <span>film</span>
        <span>{footage?.sound ? "sound" : "no sound"}</span>
      </div>
      <div
        ref={row}
        data-testid="filmstrip"
        className="relative min-w-0 flex-1 cursor-pointer touch-none select-none"
        onPointerDown={(e) => {
          e.currentTarget.setPointerCapture(e.pointerId);
          set({ playing: false });
          scrub(e);
        }}
        onPointerMove={(e) => e.currentTarget.hasPointerCapture(e.pointerId) && scrub(e)}
      >
        {strip.data && media && <Thumbs media={media} count={strip.data.count} width={strip.data.width} />}
        <Ready />
        <svg
          className="absolute inset-x-0 bottom-0 h-[22px] w-full"
          viewBox="0 0 400 22"
          preserveAspectRatio="none"
          aria-hidden
        >
          {sound && <path d={wave(sound, shot.frames / axis.fps)} fill="#8d8a84" />}
        </svg>
        <div
          className="pointer-events-none absolute inset-y-0 left-0 bg-ground/75"
          style={{ width: `${(a / shot.frames) * 100}%` }}
        />
        <div
          className="pointer-events-none absolute inset-y-0 right-0 bg-ground/75"
          style={{ width: `${(1 - (b + 1) / shot.frames) * 100}%` }}
        />
        <div
          {...trim(0)}
          className="absolute inset-y-0 w-[7px] cursor-ew-resize rounded-l border-l-2 border-ink bg-ink/10"
          style={{ left: `${(a / shot.frames) * 100}%` }}
        />
        <div
          {...trim(1)}
          className="absolute inset-y-0 w-[7px] -translate-x-full cursor-ew-resize rounded-r border-r-2 border-ink bg-ink/10"
          style={{ left: `${((b + 1) / shot.frames) * 100}%` }}
        />
        <Cues />
        <Axis frames={shot.frames} head />
      </div>
    </div>
  );
}

function Thumbs({ media, count, width }: { media: string; count: number; width: number }) {
  const box = useRef<HTMLDivElement>(null);
  const [room, setRoom] = useState(800);
  useEffect(() => {
    const observer = new ResizeObserver(([e]) => setRoom(e.contentRect.width));
    observer.observe(box.current!);
    return () => observer.disconnect();
  }, []);
  const shown = Math.max(1, Math.ceil(room / ((width * 40) / 54)));
  const each = room / shown;
  return (
    <div ref={box} className="absolute inset-x-0 top-0 flex h-10 overflow-hidden" aria-hidden>
      {Array.from({ length: shown }, (_, i) => {
        const k = Math.min(count - 1, Math.floor(((i + 0.5) / shown) * count));
        const w = (width * 40) / 54;
        return (
          <div
            key={i}
            className="h-10 shrink-0 border-r border-ground"
            style={{
              width: each,
              backgroundImage: `url(/api/media/${media}/strip.jpg)`,
              backgroundSize: `${w * count}px 40px`,
              backgroundPosition: `${-k * w - (w - each) / 2}px 0`,
            }}
          />
        );
      })}
    </div>
  );
}

/** A thin line under the frames that are ready to play. */
function Ready() {
  const count = useBench((s) => s.shot?.frames ?? 0);
  const [spans, setSpans] = useState<[number, number][]>([]);
  useEffect(() => {
    let seen = -1;
    const timer = setInterval(() => {
      const { shot: now, stored } = useBench.getState();
      if (!now || seen === frames.changes + (stored?.revision ?? 0) * 1e6) return;
      seen = frames.changes + (stored?.revision ?? 0) * 1e6;
      const scale = frames.lastScale;
      const next: [number, number][] = [];
      for (let f = 0; f < now.frames; f += 1) {
        if (!frames.has(nameOf({ frame: f, look: WHOLE, scale, draft: false }))) continue;
        if (next.length && next[next.length - 1][1] === f - 1) next[next.length - 1][1] = f;
        else next.push([f, f]);
      }
      setSpans(next);
    }, 300);
    return () => clearInterval(timer);
  }, []);
  return (
    <div className="absolute inset-x-0 top-10 h-[3px]" aria-hidden>
      {spans.map(([a, b]) => (
        <span
          key={a}
          className="absolute inset-y-0 bg-quiet"
          style={{ left: `${(a / count) * 100}%`, width: `${((b - a + 1) / count) * 100}%` }}
        />
      ))}
    </div>
  );
}

function wave(peaks: number[], seconds: number): string {
  const n = 400;
  const top = Math.max(...peaks, 0.05);
  const level = (i: number) =>
    Math.max(...peaks.slice(Math.floor((i / n) * seconds * 100), Math.floor(((i + 1) / n) * seconds * 100) + 1), 0) /
    top;
  let path = "";
  for (let i = 0; i < n; i += 1) {
    const half = 0.4 + level(i) * 10;
    path += `M${i} ${11 - half}h1v${2 * half}h-1z`;
  }
  return path;
}
