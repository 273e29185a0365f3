import { handSetOf, pointAt, type Mark } from "../document/marks";
import type { BodyTrack, PointTrack } from "../document/types";
import { setPointByHand } from "../tools/tracking";
import { GOOD, LOST, put, Trail, useGrip, type View } from "./trackParts";

/** A point of a track: its way, where it was put by hand, and the ring that puts it right. */
export function Point({
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
