import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { X } from "lucide-react";
import { useState } from "react";
import { api, got } from "../api/client";
import { hasPicture } from "../document/layers";
import { useBench, usePick } from "../state/bench";
import { Choose } from "../ui/Choose";
import { Tip } from "../ui/Tip";
import { SampleSpots } from "./SampleSpots";

interface Seen {
  pictures: Partial<Record<Kind, string>>;
  white: number;
  black: number;
  insert: boolean;
}
type Kind = "brightness" | "channels" | "colours" | "histogram";

const FIRST: { id: Kind; label: string }[] = [
  { id: "brightness", label: "brightness by column" },
  { id: "channels", label: "three channels by column" },
];

/**
 * What values the picture is made of, while it is changed: by column, as colours on a plane, as a histogram. An
 * insert that is selected is laid, in rose, over what lies around it.
 */
export function Scopes({ height }: { height: number }) {
  const { selection, scoped, set } = usePick("selection", "scoped", "set");
  const shot = useBench((s) => s.base);
  const [first, setFirst] = useState<Kind>("brightness");
  const [whole, setWhole] = useState(false);
  const layer = selection.kind === "layer" ? shot?.layers[selection.id] : undefined;
  const insert = layer && hasPicture(layer) && layer.id !== shot?.plate ? layer : undefined;
  const of = insert && !whole && !scoped ? insert.id : "";
  const seen = useScopes([first, "colours", "histogram"], of, scoped);
  const shown = scoped ? "part" : insert && !whole ? "insert" : "whole";
  return (
    <section
      aria-label="Scopes"
      className="flex shrink-0 flex-col gap-1.5 border-t border-line px-3 py-1.5"
      style={{ height }}
    >
      <div className="flex items-center gap-3 text-small">
        <Choose label="What is shown by column" value={first} choices={FIRST} set={setFirst} />
        <Choose
          label="Whose values"
          value={shown}
          choices={[
            ...(insert ? [{ id: "insert", label: `${insert.name}, over what is around it` }] : []),
            { id: "whole", label: "the whole picture" },
            { id: "part", label: "a part of it, drawn" },
            ...(scoped ? [{ id: "other", label: "another part, drawn" }] : []),
          ]}
          set={(v) => {
            if (v === "part" || v === "other") return set({ tool: "part" });
            set({ scoped: null });
            setWhole(v === "whole");
          }}
        />
        <span className="flex-1 truncate text-quiet" role="status">
          {seen && clipped(seen, seen.insert ? (insert?.name ?? "It") : scoped ? "This part" : "The picture")}
        </span>
        <Tip text="Back to lanes" keys="Shift+Y">
          <button className="icon-btn" aria-label="Put the scopes away" onClick={() => set({ lanesAs: "lanes" })}>
            <X size={13} />
          </button>
        </Tip>
      </div>
      <div className="flex min-h-0 flex-1 gap-3">
        <Column
          title={first === "brightness" ? "Brightness by column" : "Channels by column"}
          png={seen?.pictures[first]}
        />
        <Plane png={seen?.pictures.colours} />
        <Column title="Histogram" png={seen?.pictures.histogram} flat />
        <SampleSpots />
      </div>
    </section>
  );
}

function useScopes(kind: Kind[], layer: string, part: number[] | null): Seen | undefined {
  const { stored, frame } = usePick("stored", "frame");
  const overlay = useBench((s) => s.overlay);
  const over = overlay.length ? JSON.stringify(overlay) : "";
  return useQuery({
    queryKey: ["scopes", stored?.id, stored?.revision, frame, kind, layer, over, part],
    enabled: stored !== null && over.length < 12_000,
    staleTime: Infinity,
    gcTime: 20_000,
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: () =>
      got<Seen>(
        api.GET("/api/shots/{shot_id}/scopes", {
          params: {
            path: { shot_id: stored!.id },
            query: {
              kind,
              frame,
              revision: stored!.revision,
              layer,
              over,
              region: part ? part.map((v) => v.toFixed(1)).join(",") : "",
            },
          },
        }),
      ),
  }).data;
}

/** Values over the columns of the picture, or over themselves; black below, white above. */
function Column({ title, png, flat }: { title: string; png?: string; flat?: boolean }) {
  return (
    <figure className="flex min-w-0 flex-1 flex-col">
      <div className="relative min-h-0 flex-1 overflow-hidden rounded border border-line bg-ground">
        {png && (
          <img
            src={`data:image/png;base64,${png}`}
            alt={title}
            className="absolute inset-0 h-full w-full [image-rendering:pixelated]"
          />
        )}
        {[25, 50, 75].map((at) =>
          flat ? (
            <span key={at} className="absolute inset-y-0 border-l border-[#ffffff22]" style={{ left: `${at}%` }} />
          ) : (
            <span key={at} className="absolute inset-x-0 border-t border-[#ffffff22]" style={{ bottom: `${at}%` }}>
              <span className="absolute right-1 text-[9px] leading-3 text-quiet">{at}</span>
            </span>
          ),
        )}
      </div>
      <figcaption className="pt-0.5 text-[10px] text-quiet">{title}</figcaption>
    </figure>
  );
}

/** Colours on a plane whose steps are even to the eye: grey in the middle, warm to the right and up. */
function Plane({ png }: { png?: string }) {
  return (
    <figure className="flex w-[152px] shrink-0 flex-col">
      <div className="relative min-h-0 flex-1 overflow-hidden rounded border border-line bg-ground">
        {png && (
          <img
            src={`data:image/png;base64,${png}`}
            alt="Colours"
            className="absolute inset-0 h-full w-full [image-rendering:pixelated]"
          />
        )}
        <span className="absolute inset-x-0 top-1/2 border-t border-[#ffffff22]" />
        <span className="absolute inset-y-0 left-1/2 border-l border-[#ffffff22]" />
        {(
          [
            ["yellow", "left-1/2 top-0 pl-1"],
            ["blue", "left-1/2 bottom-0 pl-1"],
            ["red", "right-0 top-1/2 pr-1"],
            ["green", "left-0 top-1/2 pl-1"],
          ] as const
        ).map(([word, where]) => (
          <span key={word} className={`absolute text-[9px] leading-3 text-quiet ${where}`}>
            {word}
          </span>
        ))}
      </div>
      <figcaption className="pt-0.5 text-[10px] text-quiet">Colours</figcaption>
    </figure>
  );
}

function clipped({ white, black }: Seen, name: string): string {
  const said = (share: number, word: string) =>
    share >= 0.0005 ? [`${(share * 100).toFixed(1)} % of it is clipped to ${word}`] : [];
  const all = [...said(white, "white"), ...said(black, "black")];
  return all.length ? `${name}: ${all.join(", ")}.` : `${name}: nothing is clipped.`;
}
