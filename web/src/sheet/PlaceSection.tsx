import { useAbout } from "../api/client";
import { own, through } from "../document/geometry";
import type { Layer, Control, Corners, Vec2 } from "../document/types";
import { fitToPlane } from "../stack/drops";
import { usePick } from "../state/bench";
import { Scrub } from "../ui/Scrub";
import { DepthOffers, DepthRows } from "./DepthSection";
import { KeyButton, ParamRow } from "./ParamRow";
import { HangMenu } from "./RideWords";
import { Section } from "./Section";
import { hasPicture, sizeOf } from "../document/layers";

/** Where a layer lies: its transform or its four corners, motion blur, what it hangs from, how steady it rides. */
export function PlaceSection({ layer, plate }: { layer: Layer; plate: boolean }) {
  const { base: shot, commit, draft } = usePick("base", "commit", "draft");
  const about = useAbout().data;
  if (!shot || !about) return null;
  const path = `/layers/${layer.id}/place`;
  const { corners, depth, ride, hang } = layer.place;
  return (
    <Section
      title="Place"
      note={
        plate
          ? "reframing"
          : depth
            ? "in depth"
            : corners
              ? "four corners"
              : ride
                ? "added to the ride"
                : hang
                  ? "hangs"
                  : "2D"
      }
    >
      {depth && <DepthRows layer={layer} />}
      {!corners &&
        !depth &&
        about.place.map((c) => (
          <ParamRow
            key={c.name}
            control={c as Control}
            path={`${path}/${c.name}`}
            owner={layer.name}
            ride={c.name === "pivot" && !plate ? { path: `${path}/pivot_ride`, whole: false } : undefined}
          />
        ))}
      {hasPicture(layer) && !plate && !depth && <CornerRow layer={layer} />}
      {!plate && !depth && !corners && <DepthOffers layer={layer} />}
      {hasPicture(layer) && (
        <label className="flex h-7 items-center gap-2 pl-[30px]">
          <span className="flex-1">Motion blur</span>
          <input
            type="checkbox"
            className="h-4 w-4"
            checked={layer.place.motion_blur}
            onChange={(e) =>
              void commit(`${e.target.checked ? "blur" : "do not blur"} the motion of ${layer.name}`, [
                { op: "replace", path: `${path}/motion_blur`, value: e.target.checked },
              ])
            }
          />
        </label>
      )}
      {!hang && !plate && (
        <div className="flex h-7 items-center gap-2 pl-[30px]">
          <span className="flex-1">Hangs from</span>
          <HangMenu
            layer={layer}
            shot={shot}
            className="text-quiet underline decoration-dotted underline-offset-4 hover:text-ink"
            trigger="nothing"
          />
        </div>
      )}
      {ride && (
        <div className="flex h-7 items-center gap-2 pl-[30px]">
          <span className="flex-1" title="Smooths the path that is followed">
            Steady
          </span>
          <Scrub
            label="Steady"
            value={ride.steady}
            step={0.5}
            unit="fr"
            digits={1}
            hard={[0, 48]}
            onDrag={(v) => draft([{ op: "replace", path: `${path}/ride/steady`, value: v }])}
            onSet={(v) =>
              void commit(`steady the ride of ${layer.name}`, [
                { op: "replace", path: `${path}/ride/steady`, value: v },
              ])
            }
          />
        </div>
      )}
    </Section>
  );
}

/** Pinned by four corners or not; on a plane its corners can be taken over. */
function CornerRow({ layer }: { layer: Layer }) {
  const { base: shot, frame, commit } = usePick("base", "frame", "commit");
  const ride = layer.place.ride;
  const track = ride ? shot?.tracks[ride.track] : undefined;
  if (!shot) return null;
  const path = `/layers/${layer.id}/place`;
  const set = (label: string, value: Corners | null) =>
    void commit(label, [
      {
        op: "replace",
        path: `${path}/corners`,
        value: value && { value: value.map((c) => c.map((v) => Number(v.toFixed(2)))), keys: [] },
      },
    ]);
  const pin = () => {
    const [w, h] = sizeOf(shot, layer);
    const m = own(layer.place, [w, h], frame);
    set(
      `pin ${layer.name} by four corners`,
      (
        [
          [0, 0],
          [w, 0],
          [w, h],
          [0, h],
        ] as Vec2[]
      ).map((c) => through(m, c)) as Corners,
    );
  };
  return (
    <div className={`flex flex-wrap items-center gap-1.5 py-1 ${layer.place.corners ? "" : "pl-[30px]"}`}>
      {layer.place.corners && <KeyButton path={`${path}/corners`} title="Corners" label={`corners of ${layer.name}`} />}
      {layer.place.corners ? (
        <button className="btn py-0" onClick={() => set(`unpin ${layer.name}`, null)}>
          Unpin the corners
        </button>
      ) : (
        <button className="btn py-0" onClick={pin}>
          Pin by four corners
        </button>
      )}
      {track?.kind === "plane" && (
        <button className="btn py-0" onClick={() => void fitToPlane(layer.id, track.id)}>
          Fit to {track.name}
        </button>
      )}
    </div>
  );
}
