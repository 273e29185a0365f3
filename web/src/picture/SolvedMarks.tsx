/** What is found as a whole and not put right by hand: a camera's scene, a face. */
import { FACE_RINGS, scenePoints, type Mark } from "../document/marks";
import type { Layer, Track, TrackFile } from "../document/types";
import { placeInDepth, placeInScene } from "../tools/tracking";
import { centred, GOOD, LOST, put, type View } from "./trackParts";

/** The points of the solved scene; with a layer selected that rides on the camera, a click places it there. */
export function Scene({
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

export function Face({
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
