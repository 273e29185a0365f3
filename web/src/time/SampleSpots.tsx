import { keepPreviousData, useQueries } from "@tanstack/react-query";
import { Plus, X } from "lucide-react";
import { api, got, useCarried } from "../api/client";
import { AROUND, MOST_SPOTS, spotAt, spotsOf } from "../document/spots";
import type { Vec2 } from "../document/types";
import { RideButton } from "../sheet/RideButton";
import { useBench, usePick } from "../state/bench";
import { Tip } from "../ui/Tip";

interface Values {
  linear: number[];
  display: number[];
}

/** The values of places that are held in the picture, as it is changed: what the display shows, and stops about middle grey. */
export function SampleSpots() {
  const { base: shot, stored, frame, tool, set, commit } = usePick("base", "stored", "frame", "tool", "set", "commit");
  const spots = spotsOf(shot);
  const carried = useCarried(spots.some((s) => s.ride) ? (stored?.id ?? null) : null, stored?.revision ?? 0, frame);
  const places = spots.map((s) => spotAt(s, carried));
  const isIn = (at: Vec2 | null) => !!at && !!shot && at.every((v, i) => v >= 0 && v < shot.size[i]);
  const values = useValues(places.map((at) => (isIn(at) ? at : null)));
  return (
    <div className="flex w-[236px] shrink-0 flex-col text-small" aria-label="Held spots" role="group">
      <ul className="min-h-0 flex-1 overflow-y-auto">
        {spots.map((spot, i) => (
          <li key={spot.id} className="flex h-6 items-center gap-1.5" data-testid="spot">
            <span className="mono w-3 text-quiet">{/\d+$/.exec(spot.name)?.[0] ?? i + 1}</span>
            <span
              className="h-4 w-4 shrink-0 rounded-sm border border-line"
              style={{ background: values[i] ? `rgb(${values[i].display.join(",")})` : "none" }}
            />
            {values[i] ? (
              <>
                <span className="mono flex-1" title="What the display shows: red, green, blue">
                  {values[i].display.map((v) => String(v).padStart(3, " ")).join(" ")}
                </span>
                <span className="mono w-11 text-right text-quiet" title="Stops above or below middle grey">
                  {stops(values[i].linear)}
                </span>
              </>
            ) : (
              <span className="flex-1 text-quiet">{isIn(places[i]) ? "…" : "not in the picture here"}</span>
            )}
            <RideButton path={`/spots/${spot.id}/ride`} what={spot.name} owner="the picture" whole={false} />
            <button
              className="icon-btn h-5 min-w-5"
              aria-label={`Let go of ${spot.name}`}
              onClick={() => void commit(`let go of ${spot.name}`, [{ op: "remove", path: `/spots/${spot.id}` }])}
            >
              <X size={11} />
            </button>
          </li>
        ))}
        {!spots.length && (
          <li className="py-1 text-quiet">No spots are held: hold one, and its values stay in view.</li>
        )}
      </ul>
      <Tip text="Click in the picture what is to be kept in view">
        <button
          className={`btn flex items-center gap-1 self-start ${tool === "spot" ? "text-brass" : ""}`}
          disabled={spots.length >= MOST_SPOTS}
          aria-pressed={tool === "spot"}
          onClick={() => set({ tool: tool === "spot" ? "move" : "spot" })}
        >
          <Plus size={12} /> Hold a spot
        </button>
      </Tip>
    </div>
  );
}

/** What the picture holds about some places of it. */
function useValues(places: (Vec2 | null)[]): (Values | null)[] {
  const { stored, frame, playing } = usePick("stored", "frame", "playing");
  const overlay = useBench((s) => s.overlay);
  const over = overlay.length ? JSON.stringify(overlay) : "";
  return useQueries({
    queries: places.map((place) => {
      const [x, y] = place ? place.map(Math.floor) : [-1, -1];
      return {
        queryKey: ["spot", stored?.id, stored?.revision, frame, over, x, y],
        enabled: stored !== null && x >= 0 && !playing && over.length < 12_000,
        staleTime: Infinity,
        gcTime: 20_000,
        retry: false,
        placeholderData: keepPreviousData,
        queryFn: () =>
          got<Values>(
            api.GET("/api/shots/{shot_id}/pixel", {
              params: {
                path: { shot_id: stored!.id },
                query: { frame, x, y, around: AROUND, over, revision: stored!.revision },
              },
            }),
          ),
      };
    }),
  }).map((found, i) => (places[i] ? (found.data ?? null) : null));
}

const stops = (linear: number[]) => {
  const light = 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2];
  const above = Math.log2(Math.max(light, 1e-4) / 0.18);
  return `${above >= 0 ? "+" : "−"}${Math.abs(above).toFixed(1)}`;
};
