import { FACE_SPOTS } from "../document/marks";
import { partsOf } from "../document/ops";
import type { Layer, Steady } from "../document/types";
import { usePick } from "../state/bench";
import { Menu } from "../ui/Menu";
import { Scrub } from "../ui/Scrub";
import { Section } from "./Section";
import { OFFER, WORD } from "./words";
import { footageOf } from "../document/layers";

const EDGES = {
  zoom: "zoom in until none shows",
  mirror: "mirror the picture",
  repeat: "repeat the last pixels",
  nothing: "show nothing",
} as const;
const PARTS = ["position", "rotation", "scale"] as const;

/** Taking motion out of the plate: what is held, how strongly, how smooth a move is left, what the edges show. */
export function HoldSection({ layer }: { layer: Layer }) {
  const { base: shot, frame, draft, commit } = usePick("base", "frame", "draft", "commit");
  if (!shot) return null;
  const path = `/layers/${layer.id}/place/steady`;
  const steady = layer.place.steady;
  const tracks = Object.values(shot.tracks).filter((t) => t.footage === footageOf(layer));
  const set = (label: string, value: Steady | null) => void commit(label, [{ op: "replace", path, value }]);
  const change = (what: string, part: Partial<Steady>) => set(`change ${what} of the hold`, { ...steady!, ...part });
  const hold = (id: string) => {
    const track = shot.tracks[id];
    const turns = partsOf(track).length > 1 || track.kind === "plane";
    set(`hold ${track.name} still`, {
      track: id,
      reference_frame: frame,
      parts: turns ? [...PARTS] : ["position"],
      spot: track.kind === "face" ? "head" : "",
      strength: 1,
      smooth: 0,
      edge: "zoom",
    });
  };
  const number = (
    title: string,
    key: "strength" | "smooth",
    unit: string,
    step: number,
    k: number,
    hard: [number, number],
  ) => (
    <div className="flex h-7 items-center gap-2 pl-[30px]">
      <span className="flex-1">{title}</span>
      <Scrub
        label={title}
        value={steady![key] * k}
        step={step}
        unit={unit}
        digits={key === "smooth" ? 1 : 0}
        hard={hard}
        onDrag={(v) => draft([{ op: "replace", path: `${path}/${key}`, value: v / k }])}
        onSet={(v) => change(title.toLowerCase(), { [key]: v / k })}
      />
    </div>
  );
  return (
    <Section title="Hold" note={steady ? (steady.smooth ? "smoothed" : "locked") : undefined}>
      <p className="py-1 leading-6">
        <Menu
          className={steady ? `${WORD} decoration-track!` : OFFER}
          label="What is held still"
          trigger={
            steady
              ? (shot.tracks[steady.track]?.name ?? "?")
              : tracks.length
                ? "holds nothing still yet"
                : "holds nothing still yet (no tracks)"
          }
          choices={[
            ...tracks.map((t) => ({
              id: t.id,
              label: t.name,
              hint: t.samples ? t.kind : "not tracked",
              checked: steady?.track === t.id,
              act: () => hold(t.id),
            })),
            { id: "none", label: "nothing", checked: !steady, act: () => set("let the plate move", null) },
          ]}
        />
        {steady && (
          <>
            {" "}
            is held still in{" "}
            <Menu
              className={WORD}
              label="What is held"
              trigger={steady.parts.join(", ") || "nothing"}
              choices={PARTS.map((p) => ({
                id: p,
                label: p,
                checked: steady.parts.includes(p),
                act: () =>
                  change("what is held", {
                    parts: steady.parts.includes(p) ? steady.parts.filter((x) => x !== p) : [...steady.parts, p],
                  }),
              }))}
            />
            {shot.tracks[steady.track]?.kind === "face" && (
              <>
                , at the{" "}
                <Menu
                  className={WORD}
                  label="What of the face"
                  trigger={steady.spot || "head"}
                  choices={FACE_SPOTS.map((s) => ({
                    id: s,
                    label: s,
                    checked: steady.spot === s,
                    act: () => change("the spot", { spot: s }),
                  }))}
                />
              </>
            )}
            , as at <b className="mono">{steady.reference_frame}</b>; at the edges:{" "}
            <Menu
              className={WORD}
              label="At the edges"
              trigger={EDGES[steady.edge]}
              choices={(Object.keys(EDGES) as (keyof typeof EDGES)[]).map((e) => ({
                id: e,
                label: EDGES[e],
                checked: steady.edge === e,
                act: () => change("the edges", { edge: e }),
              }))}
            />
            .
          </>
        )}
      </p>
      {steady && number("Strength", "strength", "%", 1, 100, [0, 100])}
      {steady && number("Smooth", "smooth", "fr", 0.5, 1, [0, 120])}
    </Section>
  );
}
