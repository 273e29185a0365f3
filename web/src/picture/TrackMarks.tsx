import { useEffect, useRef, useState } from "react";
import { useSamples } from "../api/client";
import { inverse, through, type Matrix } from "../document/geometry";
import {
  handSetOf,
  boxAt,
  boxCorners,
  cornerMoved,
  cornersAt,
  FACE_RINGS,
  marks,
  pointAt,
  scenePoints,
  type Mark,
} from "../document/marks";
import { plateFrame } from "../document/timing";
import type {
  BodyTrack,
  BoxAt,
  Layer,
  Corners,
  ObjectTrack,
  PlaneTrack,
  PointTrack,
  Shot,
  Track,
  TrackFile,
  Vec2,
} from "../document/types";
import { useLiveTracks } from "../live/tracks";
import { usePick } from "../state/bench";
import { usePlateMatrix } from "./plate";
import { placeInDepth, placeInScene, setBoxByHand, setCornersByHand, setPointByHand } from "../tools/tracking";
import { hasPlace } from "../document/layers";

const put = ([x, y]: Vec2) => `translate(${x},${y})`;
const centred = ([cx, cy]: Vec2) => ({ cx, cy });

const CORNERS = ["Top left", "Top right", "Bottom right", "Bottom left"];
const GOOD = "#5fb3a1";
const LOST = "#e08763";
type ToShot = (e: React.PointerEvent) => Vec2;
/**
 * `px` takes the plate's pixels to the screen's, `toShot` to the shot's, `size` is how much larger lengths are
 * there, `toPlate` is the way back.
 */
interface View {
  px: (p: Vec2) => Vec2;
  toShot: (p: Vec2) => Vec2;
  size: number;
  toPlate: ToShot;
  active: boolean;
}

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

/** The way of one point through all frames, lost stretches dashed; dots for the frames around this one. */
function Trail({ all, point, frame, view }: { all: Mark[]; point: number; frame: number; view: View }) {
  const runs: Mark[][] = [];
  for (const m of all.filter((x) => x.places[point])) {
    const last = runs.at(-1)?.at(-1);
    if (last && last.frame === m.frame - 1 && last.lost === m.lost) runs.at(-1)!.push(m);
    else runs.push(last && last.frame === m.frame - 1 ? [last, m] : [m]);
  }
  const px = (m: Mark) =>
    view
      .px(m.places[point]!)
      .map((v) => v.toFixed(1))
      .join(",");
  return (
    <>
      {runs.map((run, i) => (
        <polyline
          key={i}
          points={run.map(px).join(" ")}
          fill="none"
          stroke={run.at(-1)!.lost ? LOST : GOOD}
          strokeWidth="1.4"
          strokeDasharray={run.at(-1)!.lost ? "3 4" : undefined}
          opacity=".9"
        />
      ))}
      {all
        .filter((m) => m.places[point] && Math.abs(m.frame - frame) <= 8 && m.frame !== frame)
        .map((m) => (
          <circle
            key={m.frame}
            {...centred(view.px(m.places[point]!))}
            r="1.8"
            fill={m.lost ? LOST : GOOD}
            opacity={1 - Math.abs(m.frame - frame) / 10}
          />
        ))}
    </>
  );
}

/** Something that is dragged from where it is: the offset is kept, the result told on release. */
function useGrip(view: View, done: (moved: Vec2) => Promise<void>) {
  const [moved, setMoved] = useState<Vec2 | null>(null);
  const grabbed = useRef<Vec2 | null>(null);
  const grip = (at: Vec2) => ({
    style: { pointerEvents: (view.active ? "auto" : "none") as "auto" | "none" },
    onPointerDown: (e: React.PointerEvent) => {
      if (e.button !== 0 || e.altKey) return;
      e.stopPropagation();
      e.currentTarget.setPointerCapture(e.pointerId);
      const p = view.toPlate(e);
      grabbed.current = [at[0] - p[0], at[1] - p[1]];
    },
    onPointerMove: (e: React.PointerEvent) => {
      if (!grabbed.current) return;
      const p = view.toPlate(e);
      setMoved([p[0] + grabbed.current[0], p[1] + grabbed.current[1]]);
    },
    onPointerUp: () => {
      grabbed.current = null;
      if (moved) void done(moved).finally(() => setMoved(null));
    },
  });
  return { moved, grip };
}

function Point({
  track,
  point,
  all,
  frame,
  view,
}: {
  track: PointTrack | BodyTrack;
  point: number;
  all: Mark[];
  frame: number;
  view: View;
}) {
  const { moved, grip } = useGrip(view, (to) => setPointByHand(track, point, to));
  const { size, active } = view;
  const mark = all.find((m) => m.frame === frame);
  const at = moved ?? pointAt(track, point, frame, mark);
  const colour = mark?.lost ? LOST : GOOD;
  return (
    <>
      <Trail all={all} point={point} frame={frame} view={view} />
      {handSetOf(track, point).map((h) => (
        <path
          key={h.frame}
          d="M-4 0h8M0 -4v8"
          transform={put(view.px(h.position))}
          stroke="#e6e4df"
          strokeWidth="1.5"
        />
      ))}
      {at && (
        <g transform={put(view.px(at))} className={active ? "cursor-grab" : ""} {...grip(at)}>
          {active && track.kind === "point" && (
            <circle
              r={track.reach_px * size}
              fill={GOOD}
              fillOpacity=".06"
              stroke={GOOD}
              strokeOpacity=".35"
              strokeDasharray="2 4"
              style={{ pointerEvents: "none" }}
            />
          )}
          <circle
            r={Math.max(8, (track.kind === "point" ? track.pattern_px : 9) * size)}
            fill="transparent"
            stroke={colour}
            strokeWidth="1.8"
          />
          <circle r="1.6" fill={colour} />
          <title>{track.name}: drag to put it right at this frame</title>
        </g>
      )}
    </>
  );
}

function Plane({ track, all, frame, view }: { track: PlaneTrack; all: Mark[]; frame: number; view: View }) {
  const mark = all.find((m) => m.frame === frame);
  const corners = cornersAt(track, frame, mark);
  const colour = mark?.lost ? LOST : GOOD;
  if (!corners) return null;
  return (
    <>
      <Trail all={middles(all)} point={0} frame={frame} view={view} />
      <polygon
        points={corners.map((c) => view.px(c).join(",")).join(" ")}
        fill={colour}
        fillOpacity=".07"
        stroke={colour}
        strokeWidth="1.6"
        strokeDasharray={mark?.lost ? "4 4" : undefined}
        style={{ pointerEvents: "none" }}
      />
      {corners.map((_, i) => (
        <Corner key={i} track={track} corners={corners} index={i} colour={colour} view={view} />
      ))}
    </>
  );
}

function Corner({
  track,
  corners,
  index,
  colour,
  view,
}: {
  track: PlaneTrack;
  corners: Corners;
  index: number;
  colour: string;
  view: View;
}) {
  const { moved, grip } = useGrip(view, (to) =>
    setCornersByHand(track, corners.map((c, i) => (i === index ? to : c)) as Corners),
  );
  return (
    <g
      transform={put(view.px(moved ?? corners[index]))}
      className={view.active ? "cursor-grab" : ""}
      {...grip(corners[index])}
      data-testid={`corner-${index}`}
    >
      <circle r="9" fill="transparent" />
      <circle r="5" fill="#1b1b1b" stroke={colour} strokeWidth="1.8" />
      {index === 0 && <circle r="1.6" fill={colour} />}
      <title>{`${CORNERS[index]} of ${track.name}: drag to put it right at this frame`}</title>
    </g>
  );
}

function Thing({ track, all, frame, view }: { track: ObjectTrack; all: Mark[]; frame: number; view: View }) {
  const mark = all.find((m) => m.frame === frame);
  const box = boxAt(track, frame, mark);
  if (!box) return null;
  return <Box key={frame} track={track} box={box} all={all} lost={!!mark?.lost} frame={frame} view={view} />;
}

function Box({
  track,
  box,
  all,
  lost,
  frame,
  view,
}: {
  track: ObjectTrack;
  box: BoxAt;
  all: Mark[];
  lost: boolean;
  frame: number;
  view: View;
}) {
  const whole = useGrip(view, (to) => setBoxByHand(track, { ...box, centre: to }));
  const [sized, setSized] = useState<BoxAt | null>(null);
  const colour = lost ? LOST : GOOD;
  const now = sized ?? { ...box, centre: whole.moved ?? box.centre };
  const corners = boxCorners(now);
  return (
    <>
      <Trail all={middles(all)} point={0} frame={frame} view={view} />
      <polygon
        points={corners.map((c) => view.px(c).join(",")).join(" ")}
        fill={colour}
        fillOpacity=".07"
        stroke={colour}
        strokeWidth="1.6"
        strokeDasharray={lost ? "4 4" : undefined}
        className={view.active ? "cursor-grab" : ""}
        data-testid="object-box"
        {...whole.grip(box.centre)}
      >
        <title>{track.name}: drag to put it right at this frame</title>
      </polygon>
      {view.active &&
        corners.map(([x, y], i) => (
          <Grip
            key={i}
            at={[x, y]}
            view={view}
            title={`Drag to size the box of ${track.name} at this frame`}
            moving={(to) => setSized(cornerMoved(box, i, to))}
            done={async (to) => {
              await setBoxByHand(track, cornerMoved(box, i, to));
              setSized(null);
            }}
            colour={colour}
          />
        ))}
    </>
  );
}

/** A dot that is dragged and tells where it goes. */
function Grip({
  at,
  view,
  title,
  colour,
  moving,
  done,
}: {
  at: Vec2;
  view: View;
  title: string;
  colour: string;
  moving: (to: Vec2) => void;
  done: (to: Vec2) => Promise<void>;
}) {
  const { moved, grip } = useGrip(view, done);
  const last = useRef<Vec2 | null>(null);
  useEffect(() => {
    if (moved && moved !== last.current) {
      last.current = moved;
      moving(moved);
    }
  });
  return (
    <g transform={put(view.px(at))} className="cursor-grab" {...grip(at)}>
      <circle r="9" fill="transparent" />
      <circle r="4.5" fill="#1b1b1b" stroke={colour} strokeWidth="1.8" />
      <title>{title}</title>
    </g>
  );
}

/** The middle of what is tracked by four corners. */
const middles = (all: Mark[]) =>
  all.map((m): Mark => ({
    ...m,
    places: m.places.length === 4 ? [[0, 1].map((k) => m.places.reduce((a, p) => a + p![k], 0) / 4) as Vec2] : [],
  }));

/** The points of the solved scene; with a layer selected that rides on the camera, a click places it there. */
function Scene({
  track,
  file,
  frame,
  view,
  layer,
}: {
  track: Track;
  file: TrackFile | undefined;
  frame: number;
  view: View;
  layer?: Layer;
}) {
  if (file?.kind !== "camera") return null;
  const chosen = layer?.place.ride?.spot;
  return (
    <g data-testid="scene-points">
      {scenePoints(file, frame).map(([i, x, y]) => {
        const is = chosen === file.points3d[i].map((v) => Number(v.toFixed(5))).join(",");
        return (
          <g
            key={i}
            transform={put(view.px([x, y]))}
            className={layer ? "cursor-pointer" : ""}
            style={{ pointerEvents: layer ? "auto" : "none" }}
            onPointerDown={(e) => {
              e.stopPropagation();
              if (layer?.place.depth) void placeInDepth(layer, track, file, file.points3d[i]);
              else if (layer) void placeInScene(layer, track, file.points3d[i], view.toShot([x, y]));
            }}
          >
            <circle r="7" fill="transparent" />
            <circle r={is ? 4 : 2} fill={is ? "#c7a252" : GOOD} fillOpacity={is ? 1 : 0.75} />
            {layer && <title>Place {layer.name} here</title>}
          </g>
        );
      })}
    </g>
  );
}

function Face({
  track,
  file,
  all,
  frame,
  view,
}: {
  track: Track;
  file: TrackFile | undefined;
  all: Mark[];
  frame: number;
  view: View;
}) {
  const mark = all.find((m) => m.frame === frame);
  const sample = file?.kind === "face" ? file.frames.find((s) => s.frame === frame) : undefined;
  const mesh = sample?.landmarks;
  const near = track.kind === "face" && !mesh && frame === track.reference_frame ? track.near : null;
  return (
    <>
      {mesh &&
        FACE_RINGS.map((ring, i) => (
          <polygon
            key={i}
            points={ring.map((k) => view.px([mesh[k][0], mesh[k][1]]).join(",")).join(" ")}
            fill="none"
            stroke={mark?.lost ? LOST : GOOD}
            strokeWidth="1.3"
            opacity=".85"
          />
        ))}
      {sample?.iris &&
        [sample.iris.left, sample.iris.right].map(([x, y, r], i) => (
          <circle key={i} {...centred(view.px([x, y]))} r={r * view.size} fill="none" stroke={GOOD} strokeWidth="1.3" />
        ))}
      {near && (
        <circle {...centred(view.px(near))} r="12" fill="none" stroke={GOOD} strokeWidth="1.8" strokeDasharray="3 3" />
      )}
    </>
  );
}

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
