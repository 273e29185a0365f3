import { api, got, useShelf } from "../api/client";
import { sample } from "../document/animate";
import { footageOf } from "../document/layers";
import type { Animated, Control } from "../document/types";
import { useBench, usePick } from "../state/bench";

/** Offers to key a number by how loud a sound is: from its least, where that is quiet, to what it is now. */
export function useLoudness(parameter: Animated, path: string, control: Control) {
  const { give, say } = usePick("give", "say");
  const shot = useBench((s) => s.base); // not while anything is dragged: each row of the sheet asks
  const shelf = useShelf().data ?? [];
  if (!shot || typeof parameter.value !== "number") return [];
  const [, layerId] = /^\/layers\/([^/]+)\//.exec(path) ?? [];
  const plate = shot.plate ? shot.layers[shot.plate] : undefined;
  const own = plate && shot.footage[footageOf(plate) ?? ""];
  const first = Math.max(shot.layers[layerId]?.span?.[0] ?? shot.trim[0], shot.trim[0]);
  const frames = shot.trim[1] - first + 1;
  const [top, bottom] = shot.rate.split("/").map(Number);
  const key = async (name: string, media: string, start: number) => {
    try {
      const query = { rate: shot.rate, frames, start };
      const levels = await got<number[]>(
        api.GET("/api/media/{media}/loudness", { params: { path: { media }, query } }),
      );
      const loud = sample(parameter, useBench.getState().frame) as number;
      const quiet = Math.min(control.soft?.[0] ?? 0, loud);
      await give("keys-by-loudness", { at: path, sound: name, first, levels, quiet, loud });
    } catch (error) {
      say((error as Error).message);
    }
  };
  const sounds = [
    ...(own?.sound && plate
      ? [
          {
            id: "plate",
            name: "the plate's sound",
            media: own.media,
            start: (Math.max(0, first - plate.time.start) * bottom) / top,
          },
        ]
      : []),
    ...shelf
      .filter((item) => item.kind === "sound")
      .map((item) => ({ id: item.id, name: item.name, media: item.media, start: 0 })),
  ];
  return frames < 2
    ? []
    : sounds.map(({ id, name, media, start }) => ({
        id: `sound-${id}`,
        label: `How loud ${name} is`,
        hint: "keys",
        act: () => void key(name, media, start),
      }));
}
