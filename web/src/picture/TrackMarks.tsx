import { useSamples } from "../api/client";
import { inverse, through, type Matrix } from "../document/geometry";
import { hasPlace } from "../document/layers";
import { marks } from "../document/marks";
import { plateFrame } from "../document/timing";
import type { Layer, Shot, Vec2 } from "../document/types";
import { useLiveTracks } from "../live/tracks";
import { usePick } from "../state/bench";
import { Thing } from "./BoxMarks";
import { Plane } from "./PlaneMarks";
import { usePlateMatrix } from "./plate";
import { Point } from "./PointMarks";
import { Face, Scene } from "./SolvedMarks";
import { GOOD, type ToShot, type View } from "./trackParts";

/** The selected track (or the one the selected layer rides on), drawn over the picture and set right there. */
export function TrackMarks({ scale, toShot }: { scale: number; toShot: ToShot }) {
  const { shot, selection, frame } = usePick("shot", "selection", "frame");
  const live = useLiveTracks((s) => s.byTrack);
  const layer = selection.kind === "layer" ? shot?.layers[selection.id] : undefined;
  const id =
    selection.kind === "track"
      ? selection.id
      : layer && hasPlace(layer)
        ? (layer.place.ride?.track ?? sceneOf(shot!, layer))
        : undefined;
  const track = id ? shot?.tracks[id] : undefined;
  const files = useSamples(track?.samples ? [track.samples] : []);
  const plate = usePlateMatrix();
  if (!shot || !track) return null;
  const file = track.samples ? files[track.samples] : undefined;
  const all = marks(file, live[track.id]);
  const now = plateFrame(shot, frame);
  const back = inverse(plate);
  const px = (p: Vec2): Vec2 => through(plate, p).map((v) => v * scale) as Vec2;
  const view: View = {
    px,
    toShot: (p) => through(plate, p),
    size: scale * Math.sqrt(Math.abs(plate[0] * plate[4] - plate[1] * plate[3])),
    toPlate: (e) => through(back, toShot(e)),
    active: selection.kind === "track",
  };
  return (
    <g data-testid="track-path" data-samples={all.length}>
      {track.kind === "point" &&
        track.order.map((id, i) => <Point key={id} track={track} point={i} all={all} frame={now} view={view} />)}
      {track.kind === "body" && <Point track={track} point={0} all={all} frame={now} view={view} />}
      {track.kind === "plane" && <Plane track={track} all={all} frame={now} view={view} />}
      {track.kind === "object" && <Thing track={track} all={all} frame={now} view={view} />}
      {track.kind === "camera" && (
        <Scene track={track} file={file} frame={now} view={view} layer={layer && hasPlace(layer) ? layer : undefined} />
      )}
      {track.kind === "face" && <Face track={track} file={file} all={all} frame={now} view={view} />}
    </g>
  );
}

/** The solved camera in whose scene a layer in depth lies, or could be placed by a click. */
const sceneOf = (shot: Shot, layer: Layer) =>
  layer.place.depth && !layer.place.hang
    ? (layer.place.depth.track ?? Object.values(shot.tracks).find((t) => t.kind === "camera" && t.samples)?.id)
    : undefined;

/** The corners clicked so far, and the line to the pointer. */
export function Drawn({
  points,
  pointer,
  plate,
  scale,
}: {
  points: Vec2[];
  pointer: Vec2 | null;
  plate: Matrix;
  scale: number;
}) {
  const shown = points.map((p) => through(plate, p));
  const all = pointer ? [...shown, pointer] : shown;
  return (
    <>
      <polyline
        points={all.map(([x, y]) => `${x * scale},${y * scale}`).join(" ")}
        fill="none"
        stroke={GOOD}
        strokeWidth="1.6"
      />
      {shown.map(([x, y], i) => (
        <circle key={i} cx={x * scale} cy={y * scale} r="5" fill="#1b1b1b" stroke={GOOD} strokeWidth="1.8" />
      ))}
    </>
  );
}
