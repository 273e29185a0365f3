import { FACE_SPOTS } from "../document/marks";
import { hangingFrom } from "../document/ops";
import type { Layer, Part, Ride, Shot } from "../document/types";
import { usePick } from "../state/bench";
import { Menu } from "../ui/Menu";
import { rideLayer } from "../stack/drops";
import { GAPS, OFFER, WORD } from "./words";
import { hasPlace, isCarrier } from "../document/layers";

/** What a layer rides on and hangs from, and how. */
export function RideWords({ layer }: { layer: Layer }) {
  const { base: shot, commit } = usePick("base", "commit");
  if (!shot) return null;
  const { ride, hang } = layer.place;
  const tracks = Object.values(shot.tracks);
  const path = `/layers/${layer.id}/place`;
  const change = (what: string, part: Partial<Ride>) =>
    void commit(`change ${what} of ${layer.name}`, [
      { op: "replace", path: `${path}/ride`, value: { ...ride!, ...part } },
    ]);
  const track = ride ? shot.tracks[ride.track] : undefined;
  return (
    <>
      {ride ? "rides on " : ""}
      <Menu
        className={ride ? `${WORD} decoration-track!` : OFFER}
        label="What it rides on"
        trigger={
          ride ? (track?.name ?? "?") : tracks.length ? "rides on nothing yet" : "rides on nothing yet (no tracks)"
        }
        choices={[
          ...tracks.map((t) => ({
            id: t.id,
            label: t.name,
            hint: t.samples ? t.kind : "not tracked",
            checked: ride?.track === t.id,
            act: () => void rideLayer(layer.id, t.id),
          })),
          { id: "none", label: "nothing", act: () => void rideLayer(layer.id, null), checked: !ride },
        ]}
      />
      {ride && (
        <>
          {track?.kind === "face" && (
            <>
              , at its{" "}
              <Menu
                className={WORD}
                label="What of the face"
                trigger={ride.spot || "head"}
                choices={FACE_SPOTS.map((s) => ({
                  id: s,
                  label: s,
                  checked: s === ride.spot,
                  act: () => change("the spot", { spot: s }),
                }))}
              />
            </>
          )}
          {track?.kind === "camera" && (
            <>
              , at{" "}
              <i className="text-quiet">
                {ride.spot ? "its point" : "the middle"} of the scene (click a point in the picture)
              </i>
            </>
          )}{" "}
          <span className="whitespace-nowrap">
            (
            <PartsMenu
              ride={ride}
              plane={track?.kind === "plane"}
              set={(parts) => change("what is followed", { parts })}
            />
            ,
          </span>{" "}
          from <b className="mono">{ride.reference_frame}</b>,{" "}
          <span className="whitespace-nowrap">
            <Menu
              className={WORD}
              label="What happens where the track is lost"
              trigger={GAPS[ride.gaps][0]}
              choices={(["bridge", "coast", "hold", "hide"] as const).map((g) => ({
                id: g,
                label: GAPS[g][1],
                checked: ride.gaps === g,
                act: () => change("the gaps", { gaps: g }),
              }))}
            />
            )
          </span>
          {ride.steady > 0 && (
            <>
              , steadied over <b className="mono">{ride.steady}</b> frames
            </>
          )}
        </>
      )}
      {hang && (
        <>
          , hangs from{" "}
          <HangMenu layer={layer} shot={shot} className={WORD} trigger={shot.layers[hang.layer]?.name ?? "?"} />
        </>
      )}
      ,
    </>
  );
}

/** Each part on its own, and for planes the whole of it. */
export function PartsMenu({ ride, plane, set }: { ride: Ride; plane: boolean; set: (parts: Part[]) => void }) {
  const each = (["position", "rotation", "scale"] as const).map((p) => ({
    id: p,
    label: p,
    checked: ride.parts.includes(p),
    act: () =>
      set(
        ride.parts.includes(p)
          ? ride.parts.filter((x) => x !== p)
          : [...ride.parts.filter((x) => x !== "perspective"), p],
      ),
  }));
  const whole = {
    id: "perspective",
    label: "perspective (all of it)",
    checked: ride.parts.includes("perspective"),
    act: () => set(["perspective"]),
  };
  return (
    <Menu
      className={WORD}
      label="What of the motion is followed"
      trigger={ride.parts.join(", ") || "nothing"}
      choices={plane ? [whole, ...each] : each}
    />
  );
}

/** What a layer can hang from without hanging from itself. */
export function HangMenu({
  layer,
  shot,
  className,
  trigger,
}: {
  layer: Layer;
  shot: Shot;
  className: string;
  trigger: string;
}) {
  const { commit, frame } = usePick("commit", "frame");
  const below = new Set([layer.id]);
  for (let grown = true; grown;) {
    const next = [...below].flatMap((id) => hangingFrom(shot, id).map((l) => l.id)).filter((id) => !below.has(id));
    next.forEach((id) => below.add(id));
    grown = next.length > 0;
  }
  const others = shot.stack
    .map((id) => shot.layers[id])
    .filter((l) => hasPlace(l) && !below.has(l.id) && l.id !== shot.plate);
  const set = (to: string | null) =>
    void commit(to ? `hang ${layer.name} from ${shot.layers[to].name}` : `let ${layer.name} hang from nothing`, [
      { op: "replace", path: `/layers/${layer.id}/place/hang`, value: to && { layer: to, reference_frame: frame } },
    ]);
  const hang = layer.place.hang;
  return (
    <Menu
      className={className}
      label="What it hangs from"
      trigger={trigger}
      choices={[
        ...others.map((l) => ({
          id: l.id,
          label: l.name,
          hint: isCarrier(l) ? "carrier" : "",
          checked: hang?.layer === l.id,
          act: () => set(l.id),
        })),
        { id: "none", label: "nothing", checked: !hang, act: () => set(null) },
      ]}
    />
  );
}
