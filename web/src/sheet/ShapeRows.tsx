import { FACE_SPOTS } from "../document/marks";
import { toggleKey } from "../document/ops";
import type { ShapePiece } from "../document/types";
import { rideAt } from "../stack/drops";
import { usePick } from "../state/bench";
import { KeyPip } from "../time/Pip";
import { convertPoints } from "../tools/shaping";
import { Menu } from "../ui/Menu";
import { Tip } from "../ui/Tip";
import { PartsMenu } from "./RideWords";
import { WORD } from "./words";

/** The outline itself can be keyed; its points are changed in the picture. */
export function OutlineRow({ piece, path }: { piece: ShapePiece; path: string }) {
  const { base: shot, frame, commit, points } = usePick("base", "frame", "commit", "points");
  if (!shot) return null;
  const here = piece.outline.keys.some((k) => k.frame === frame);
  const keyed = piece.outline.keys.length > 0;
  return (
    <div className="flex min-h-7 items-center gap-1.5">
      <Tip text={here ? "Remove the key here" : keyed ? "Add a key here" : "Key this from here on"}>
        <button
          className="icon-btn min-w-5"
          aria-pressed={here}
          aria-label="Key Outline"
          onClick={() =>
            void commit(
              here ? `remove a key of the outline of ${piece.name}` : `key the outline of ${piece.name}`,
              toggleKey(shot, path, frame),
            )
          }
        >
          <KeyPip parameter={piece.outline} frame={frame} />
        </button>
      </Tip>
      <span className={`flex-1 truncate ${keyed ? "text-brass" : ""}`}>
        Outline{" "}
        <span className="text-quiet">
          of {piece.outline.value.points.length} points{points.length ? `, ${points.length} chosen` : ""}
        </span>
      </span>
      <Tip text="Make the chosen points round or sharp; with none chosen, all of them round">
        <button className="btn py-0.5" onClick={() => convertPoints(points)}>
          round
        </button>
      </Tip>
    </div>
  );
}

/** What a shape rides on, as words. */
export function ShapeRide({ piece, path }: { piece: ShapePiece; path: string }) {
  const { base: shot, commit } = usePick("base", "commit");
  if (!shot) return null;
  const tracks = Object.values(shot.tracks);
  const tie = (id: string | null) => void rideAt(`${path}/ride`, id);
  return (
    <>
      {piece.ride ? "rides on " : ""}
      <Menu
        className={piece.ride ? `${WORD} decoration-track!` : WORD}
        label="What the shape rides on"
        trigger={piece.ride ? (shot.tracks[piece.ride.track]?.name ?? "?") : "rides on nothing"}
        choices={[
          ...tracks.map((t) => ({
            id: t.id,
            label: t.name,
            hint: t.samples ? t.kind : "not tracked",
            checked: piece.ride?.track === t.id,
            act: () => tie(t.id),
          })),
          { id: "none", label: "nothing", checked: !piece.ride, act: () => tie(null) },
        ]}
      />
      {piece.ride && shot.tracks[piece.ride.track]?.kind === "face" && (
        <>
          , at its{" "}
          <Menu
            className={WORD}
            label="What of the face the shape rides on"
            trigger={piece.ride.spot || "head"}
            choices={FACE_SPOTS.map((s) => ({
              id: s,
              label: s,
              checked: s === piece.ride!.spot,
              act: () =>
                void commit(`change the spot of ${piece.name}`, [
                  { op: "replace", path: `${path}/ride/spot`, value: s },
                ]),
            }))}
          />
        </>
      )}
      {piece.ride && (
        <>
          {" "}
          (
          <PartsMenu
            ride={piece.ride}
            plane={shot.tracks[piece.ride.track]?.kind === "plane"}
            set={(parts) =>
              void commit(`change what ${piece.name} follows`, [
                { op: "replace", path: `${path}/ride/parts`, value: parts },
              ])
            }
          />
          , from <b className="mono">{piece.ride.reference_frame}</b>)
        </>
      )}
    </>
  );
}
