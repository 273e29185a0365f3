import { cornersAt, type Mark } from "../document/marks";
import type { Corners, PlaneTrack } from "../document/types";
import { setCornersByHand } from "../tools/tracking";
import { GOOD, LOST, middles, put, Quad, Trail, useGrip, type View } from "./trackParts";

const CORNERS = ["Top left", "Top right", "Bottom right", "Bottom left"];

/** A tracked plane: its outline, and the corners that put it right. */
export function Plane({ track, all, frame, view }: { track: PlaneTrack; all: Mark[]; frame: number; view: View }) {
  const mark = all.find((m) => m.frame === frame);
  const corners = cornersAt(track, frame, mark);
  const colour = mark?.lost ? LOST : GOOD;
  if (!corners) return null;
  return (
    <>
      <Trail all={middles(all)} point={0} frame={frame} view={view} />
      <Quad corners={corners} lost={!!mark?.lost} view={view} style={{ pointerEvents: "none" }} />
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
