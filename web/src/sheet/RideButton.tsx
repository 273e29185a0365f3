import { Crosshair } from "lucide-react";
import { Popover } from "radix-ui";
import { FACE_SPOTS } from "../document/marks";
import { at } from "../document/ops";
import { rideAt } from "../stack/drops";
import type { Ride } from "../document/types";
import { usePick } from "../state/bench";
import { Menu } from "../ui/Menu";
import { Popped } from "../ui/Popped";
import { PartsMenu } from "./RideWords";
import { GAPS, OFFER, WORD } from "./words";

/** The tie of a point (a pivot, an effect's centre) to a track: a small button on its row that opens a sentence. */
export function RideButton({
  path,
  what,
  owner,
  whole,
}: {
  path: string;
  what: string;
  owner: string;
  whole: boolean;
}) {
  const { base: shot, commit } = usePick("base", "commit");
  if (!shot) return null;
  const ride = at(shot, path) as unknown as Ride | null;
  const tracks = Object.values(shot.tracks);
  const track = ride ? shot.tracks[ride.track] : undefined;
  const name = `${what.toLowerCase()} of ${owner}`;
  const set = (label: string, value: Ride | null) => void commit(label, [{ op: "replace", path, value }]);
  const change = (part: Partial<Ride>) => set(`change the ride of the ${name}`, { ...ride!, ...part });
  return (
    <Popover.Root>
      <Popover.Trigger
        className={`icon-btn min-w-5 ${ride ? "" : "opacity-50"}`}
        aria-label={`${what} rides on`}
        title={ride ? `Rides on ${track?.name}` : "Let it ride on a track"}
      >
        <Crosshair size={13} className={ride ? "text-track" : ""} />
      </Popover.Trigger>
      <Popped className="w-72 leading-6" label={`What the ${name} rides on`}>
        {what} {ride ? "rides on " : ""}
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
              act: () => void rideAt(path, t.id, whole),
            })),
            { id: "none", label: "nothing", checked: !ride, act: () => void rideAt(path, null) },
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
                    act: () => change({ spot: s }),
                  }))}
                />
              </>
            )}
            {whole && (
              <>
                {" "}
                (<PartsMenu ride={ride} plane={track?.kind === "plane"} set={(parts) => change({ parts })} />)
              </>
            )}
            , from <b className="mono">{ride.reference_frame}</b>,{" "}
            <Menu
              className={WORD}
              label="What happens where the track is lost"
              trigger={GAPS[ride.gaps][0]}
              choices={(["bridge", "coast", "hold", "hide"] as const).map((g) => ({
                id: g,
                label: GAPS[g][1],
                checked: ride.gaps === g,
                act: () => change({ gaps: g }),
              }))}
            />
            .
          </>
        )}
      </Popped>
    </Popover.Root>
  );
}
