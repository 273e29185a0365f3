import { useQuery } from "@tanstack/react-query";
import { Pipette } from "lucide-react";
import { api, got } from "../api/client";
import { shownAs } from "../document/colour";
import type { ChromaPiece } from "../document/types";
import { usePick } from "../state/bench";

interface ScreenSeen {
  frame: number;
  colour: [number, number, number] | null;
}

/** The screen of a chroma key: picked, or found by itself; and words where there is none to be seen. */
export function ScreenRow({
  matte,
  piece,
  put,
}: {
  matte: string;
  piece: ChromaPiece;
  put: (label: string, field: string, value: unknown) => void;
}) {
  const { id, stored, frame, playing, tool, set } = usePick("id", "stored", "frame", "playing", "tool", "set");
  const { data: seen } = useQuery({
    queryKey: ["screen", id, stored?.revision, matte, piece.id, frame],
    enabled: !playing && id !== null && stored?.document.mattes[matte]?.pieces[piece.id] !== undefined,
    staleTime: Infinity,
    retry: false,
    queryFn: () =>
      got<ScreenSeen>(
        api.GET("/api/shots/{shot_id}/mattes/{matte_id}/keys/{piece_id}/screen", {
          params: {
            path: { shot_id: id!, matte_id: matte, piece_id: piece.id },
            query: { frame, revision: stored!.revision },
          },
        }),
      ),
  });
  const colour = piece.screen ?? seen?.colour;
  return (
    <>
      <div className="flex items-center gap-2 py-1">
        <span className="flex-1">Screen</span>
        {colour && (
          <span
            className="h-4 w-6 rounded border border-line"
            style={{ background: shownAs(colour) }}
            aria-label={piece.screen ? "The picked colour" : "The colour that was found"}
          />
        )}
        <button
          className="btn flex items-center gap-1 py-0.5"
          aria-pressed={tool === "screen"}
          onClick={() => set({ tool: tool === "screen" ? "move" : "screen" })}
        >
          <Pipette size={12} className={tool === "screen" ? "text-brass" : ""} /> pick
        </button>
        <button
          className="btn py-0.5"
          disabled={!piece.screen}
          onClick={() => put("find the screen of", "screen", null)}
        >
          {piece.screen ? "find it" : "found by itself"}
        </button>
      </div>
      {seen && !seen.colour && (
        <p className="pb-1 text-warn" role="status">
          No {piece.screen ? "screen of that colour" : "screen"} is to be seen at frame {frame}: nothing is cut here.
          Pick its colour where it shows, or end this piece before.
        </p>
      )}
    </>
  );
}
