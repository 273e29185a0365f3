import { useShelf } from "../api/client";
import type { ChromaPiece, DifferencePiece, Footage, Layer, Op } from "../document/types";
import { useBench, usePick } from "../state/bench";
import { Menu } from "../ui/Menu";
import { shownFrame } from "../tools/cutouts";
import { WORD } from "./words";
import { footageOf } from "../document/layers";

const NONE = { chroma: "fitted to each frame", difference: "the median of the shot" } as const;

const THROUGH = "seen through the shot";

/** Where a key sees the place without its subject: nowhere, in a frame of the same footage, or in another clip. */
export function EmptyPlace({ piece, path }: { piece: ChromaPiece | DifferencePiece; path: string }) {
  const { base: shot, commit } = usePick("base", "commit");
  const shelf = useShelf().data ?? [];
  const layer = shot?.layers[piece.layer] as Layer | undefined;
  if (!shot || !layer) return null;
  const own = shot.footage[footageOf(layer) ?? ""];
  if (!own) return null;
  const put = (label: string, frame: number | null, footage: Footage | null, through = false) => {
    const ops: Op[] =
      footage && !shot.footage[footage.id] ? [{ op: "add", path: `/footage/${footage.id}`, value: footage }] : [];
    void commit(`${label} ${piece.name}`, [
      ...ops,
      { op: "replace", path: `${path}/clean_frame`, value: frame },
      { op: "replace", path: `${path}/clean_footage`, value: footage?.id ?? null },
      ...(piece.kind === "chroma" ? [{ op: "replace" as const, path: `${path}/clean_through`, value: through }] : []),
    ]);
  };
  const same = (f: Footage) =>
    f.id !== own.id &&
    f.media !== own.media &&
    Math.abs(f.size[0] * own.size[1] - f.size[1] * own.size[0]) <= Math.max(...own.size);
  const known = Object.values(shot.footage).filter((f) => f.kind !== "sound" && same(f));
  const others = [
    ...known,
    ...shelf
      .filter(
        (i) =>
          i.kind !== "sound" &&
          same(i.footage as Footage) &&
          !known.some((f) => f.media === (i.footage as Footage).media),
      )
      .map((i) => i.footage as Footage),
  ];
  const here = shownFrame(shot, piece.layer, useBench.getState().frame);
  const through = piece.kind === "chroma" && piece.clean_through;
  const chosen = piece.clean_footage ? shot.footage[piece.clean_footage] : null;
  const at = piece.clean_frame === null ? "" : `frame ${piece.clean_frame}`;
  const words = chosen
    ? [chosen.name, chosen.kind === "still" ? "" : at || "frame by frame"].filter(Boolean).join(", ")
    : at || (through ? THROUGH : NONE[piece.kind]);
  return (
    <div className="flex items-baseline gap-2 py-1">
      <span className="shrink-0" title="The same place with nothing before it">
        {piece.kind === "chroma" ? "Empty screen" : "Empty place"}
      </span>
      <Menu
        className={`${WORD} ml-auto text-right`}
        label="Where the place is seen empty"
        trigger={words}
        choices={[
          {
            id: "none",
            label: NONE[piece.kind],
            checked: piece.clean_frame === null && !chosen && !through,
            act: () =>
              put(piece.kind === "chroma" ? "fit the screen of" : "take the median of the shot for", null, null),
          },
          ...(piece.kind === "chroma" && own.frames > 1
            ? [
                {
                  id: "through",
                  label: THROUGH,
                  hint: "the camera stands still",
                  checked: through,
                  act: () => put("put the screen together from the shot for", null, null, true),
                },
              ]
            : []),
          ...(here === null
            ? []
            : [
                {
                  id: "here",
                  label: `this frame (${here})`,
                  checked: !chosen && piece.clean_frame === here,
                  act: () => put("take this frame as empty for", here, null),
                },
              ]),
          ...others.map((f) => ({
            id: f.id,
            label: f.name,
            hint: f.kind === "still" ? "still" : "frame by frame",
            checked: chosen?.id === f.id,
            act: () => put(`take ${f.name} as empty for`, null, f),
          })),
        ]}
      />
    </div>
  );
}
