import { useEffect, useRef, useState } from "react";
import { boxAt, boxCorners, cornerMoved, type Mark } from "../document/marks";
import type { BoxAt, ObjectTrack, Vec2 } from "../document/types";
import { setBoxByHand } from "../tools/tracking";
import { GOOD, LOST, middles, put, Quad, Trail, useGrip, type View } from "./trackParts";

/** A tracked thing: its box, moved, turned and sized by hand. */
export function Thing({ track, all, frame, view }: { track: ObjectTrack; all: Mark[]; frame: number; view: View }) {
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
      <Quad
        corners={corners}
        lost={lost}
        view={view}
        className={view.active ? "cursor-grab" : ""}
        data-testid="object-box"
        {...whole.grip(box.centre)}
      >
        <title>{track.name}: drag to put it right at this frame</title>
      </Quad>
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
