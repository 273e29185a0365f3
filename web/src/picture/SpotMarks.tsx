import { useCarried } from "../api/client";
import { moveSpot, spotAt, spotsOf, type Spot } from "../document/spots";
import type { Vec2 } from "../document/types";
import { usePick } from "../state/bench";
import { useMoved } from "./useGrip";

/** Held spots in the picture, while scopes are looked at; they can be moved. */
export function SpotMarks({ scale, toShot }: { scale: number; toShot: (e: React.PointerEvent) => Vec2 }) {
  const { base: shot, stored, frame, lanesAs, commit } = usePick("base", "stored", "frame", "lanesAs", "commit");
  const spots = lanesAs === "scopes" ? spotsOf(shot) : [];
  const carried = useCarried(spots.some((s) => s.ride) ? (stored?.id ?? null) : null, stored?.revision ?? 0, frame);
  const { moved, grip } = useMoved<Spot>(
    toShot,
    (spot, to) => void commit(`move ${spot.name}`, moveSpot(spot, to, carried)),
  );
  if (!spots.length) return null;
  return (
    <g role="group" aria-label="Held spots in the picture">
      {spots.map((spot) => {
        const at = moved?.mark.id === spot.id ? moved.at : spotAt(spot, carried);
        if (!at) return null;
        return (
          <g
            key={spot.id}
            role="img"
            aria-label={spot.name}
            data-testid={`mark-${spot.name}`}
            transform={`translate(${at[0] * scale},${at[1] * scale})`}
            className="cursor-grab"
            style={{ pointerEvents: "auto" }}
            {...grip(spot)}
          >
            <circle r="10" fill="transparent" />
            {["#000", "#fff"].map((colour, i) => (
              <path key={colour} d="M-7 0h4M3 0h4M0-7v4M0 3v4" stroke={colour} strokeWidth={3 - 1.8 * i} fill="none" />
            ))}
            <text x="8" y="-4" fontSize="11" fill="#fff" stroke="#000" strokeWidth="2.5" paintOrder="stroke">
              {/\d+$/.exec(spot.name)?.[0]}
            </text>
          </g>
        );
      })}
    </g>
  );
}
