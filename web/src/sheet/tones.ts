import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, got } from "../api/client";
import type { components } from "../api/schema.d";
import { usePick } from "../state/bench";

/** Which tones and hues a layer has at the frame that is shown, as it is without one of its effects. */
export function useTones(layer: string, effect: string) {
  const { stored, frame } = usePick("stored", "frame");
  return useQuery({
    queryKey: ["tones", stored?.id, stored?.revision, frame, layer, effect],
    enabled: stored !== null,
    staleTime: Infinity,
    gcTime: 20_000,
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: () =>
      got<components["schemas"]["Tones"]>(
        api.GET("/api/shots/{shot_id}/layers/{layer_id}/tones", {
          params: {
            path: { shot_id: stored!.id, layer_id: layer },
            query: { frame, effect, revision: stored!.revision },
          },
        }),
      ),
  }).data;
}
