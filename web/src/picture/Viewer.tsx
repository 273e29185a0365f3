import { useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState } from "react";
import { inverse, through } from "../document/geometry";
import type { Vec2 } from "../document/types";
import { frames } from "../live/frames";
import type { Look } from "../live/socket";
import { isShapeTool, usePick } from "../state/bench";
import { insertFootage, readDrop } from "../stack/drops";
import { DragBox } from "./DragBox";
import { Strokes } from "./Strokes";
import { DrawShape, SHAPE_SAYS } from "./DrawShape";
import { EffectHandles } from "./EffectHandles";
import { Handles } from "./Handles";
import { addLayer } from "../tools/actions";
import { PointHandles } from "./PointHandles";
import { Outlines } from "./Outlines";
import { PairMarks } from "./PairMarks";
import { SpotMarks } from "./SpotMarks";
import { type Laid, usePaint } from "./paint";
import { usePlateMatrix } from "./plate";
import { Readout } from "./Readout";
import { Drawn, TrackMarks } from "./TrackMarks";
import { holdSpot, pairClick, regionDragged } from "../tools/matching";
import { pickColour, pickScreen } from "../tools/shaping";
import { boxToTrack, clickToTrack } from "../tools/tracking";
import { usePicture, WHOLE } from "./usePictures";
import { usePlayback } from "./usePlayback";

const [MARGIN, DRAWING_MARGIN] = [2, 24]; // shapes are drawn beyond the frame's edge too
const SAYS = {
  point: () => "Click a corner or a spot to follow.",
  more: () => "Click one more spot that moves with the first.",
  plane: (n: number) =>
    `Click the ${["top left", "top right", "bottom right", "bottom left"][n]} corner of the flat thing.`,
  face: () => "Click on the face to follow.",
  object: () => "Drag a box around the thing to follow, close to its outline.",
  keep: () => "Draw over what is to be kept.",
  remove: () => "Draw over what is not.",
  pick: () => "Click on the colour. Escape puts it away.",
  pair: () => "Click a place in the insert, then the place in the plate that it should look like.",
  region: () => "Drag a box over the part of the plate that it should look like.",
  part: () => "Drag a box over the part of the picture that scopes are to be of.",
  spot: () => "Click what is to be kept in view.",
  screen: () => "Click the screen, close to the subject but not on it.",
};

const PLATE: Look = { of: "plate" };

/** The picture, with everything that is drawn and handled on top of it. */
export function Viewer() {
  const {
    base: shot,
    zoom,
    pan,
    set,
    compare,
    wipe,
    peek,
    selection,
    tool,
    playing,
    piece,
    frame,
    drawn,
    lanesAs,
    scoped,
  } = usePick(
    "base",
    "zoom",
    "pan",
    "set",
    "compare",
    "wipe",
    "peek",
    "selection",
    "tool",
    "playing",
    "piece",
    "frame",
    "drawn",
    "lanesAs",
    "scoped",
  );
  const plate = usePlateMatrix();
  const box = useRef<HTMLDivElement>(null);
  const [room, setRoom] = useState<Vec2>([800, 450]);
  const [pointer, setPointer] = useState<Vec2 | null>(null);
  const held = useRef<{ x: number; y: number; pan: Vec2 } | null>(null);
  useLayoutEffect(() => {
    const observer = new ResizeObserver(([entry]) => setRoom([entry.contentRect.width, entry.contentRect.height]));
    observer.observe(box.current!);
    return () => observer.disconnect();
  }, []);
  const [w, h] = shot?.size ?? [960, 540];
  const margin = isShapeTool(tool) ? DRAWING_MARGIN : MARGIN;
  const fit = Math.min((room[0] - 2 * margin) / w, (room[1] - 2 * margin) / h);
  const scale = zoom === "fit" ? Math.max(fit, 0.02) : zoom;
  const origin = useMemo<Vec2>(
    () => [(room[0] - w * scale) / 2 + pan[0], (room[1] - h * scale) / 2 + pan[1]],
    [room, w, h, scale, pan],
  );
  const asked = Math.min(1, Math.max(Math.round(scale * window.devicePixelRatio * 64) / 64, 0.05));
  const matte = selection.kind === "matte" ? shot?.mattes[selection.id] : undefined;
  const keyed = matte?.pieces[piece ?? ""];
  const source = tool === "screen" && keyed?.kind === "chroma" ? keyed.layer : null;
  const without = peek && selection.kind === "layer" ? selection.id : null;
  const look = useMemo<Look>(
    () => (source ? { of: "source", layer: source } : without ? { without } : WHOLE),
    [source, without],
  );
  const [other, setOther] = useState<ImageBitmap | null>(null);
  usePicture(PLATE, asked, "compare", compare === "wipe", setOther);
  useEffect(() => {
    frames.lastScale = asked;
  }, [asked]);

  const over = compare === "wipe" ? other : null;
  const laid = useMemo<Laid>(
    () => ({ room, origin, size: [w, h], scale, other: over, line: wipe }),
    [room, origin, w, h, scale, over, wipe],
  );
  const { canvas, painted } = usePaint(laid);
  const { problem, loading, show } = usePicture(look, asked, "view", true, painted);
  usePlayback(asked, show);

  const toShot = useCallback(
    (e: { clientX: number; clientY: number }): Vec2 => {
      const r = box.current!.getBoundingClientRect();
      return [(e.clientX - r.left - origin[0]) / scale, (e.clientY - r.top - origin[1]) / scale];
    },
    [origin, scale],
  );

  useEffect(() => {
    const element = box.current!;
    const wheel = (e: WheelEvent) => {
      e.preventDefault();
      const r = element.getBoundingClientRect();
      const next = Math.min(Math.max(scale * Math.exp(-e.deltaY * 0.0015), 0.05), 16);
      const [px, py] = [e.clientX - r.left, e.clientY - r.top];
      const [sx, sy] = [(px - origin[0]) / scale, (py - origin[1]) / scale];
      set({ zoom: next, pan: [px - sx * next - (room[0] - w * next) / 2, py - sy * next - (room[1] - h * next) / 2] });
    };
    element.addEventListener("wheel", wheel, { passive: false });
    return () => element.removeEventListener("wheel", wheel);
  });

  return (
    <div
      ref={box}
      data-testid="viewer"
      data-scale={scale}
      data-origin={origin.join(" ")}
      className={`relative h-full min-h-0 w-full touch-none overflow-hidden ${tool !== "move" ? "cursor-crosshair" : ""}`}
      onPointerDown={(e) => {
        if (e.button === 1 || (e.button === 0 && e.altKey)) {
          held.current = { x: e.clientX, y: e.clientY, pan };
          e.currentTarget.setPointerCapture(e.pointerId);
        } else if (e.button === 0 && tool === "screen") void pickScreen(toShot(e));
        else if (e.button === 0 && tool === "pick") void pickColour(toShot(e));
        else if (e.button === 0 && tool === "pair") pairClick(toShot(e));
        else if (e.button === 0 && tool === "spot") holdSpot(toShot(e));
        else if (e.button === 0 && tool !== "move") clickToTrack(through(inverse(plate), toShot(e)));
      }}
      onPointerMove={(e) => {
        setPointer(toShot(e));
        const d = held.current;
        if (d) set({ pan: [d.pan[0] + e.clientX - d.x, d.pan[1] + e.clientY - d.y] });
      }}
      onPointerUp={() => {
        held.current = null;
      }}
      onPointerLeave={() => setPointer(null)}
      onDragOver={(e) => e.preventDefault()}
      onDrop={(e) => {
        e.preventDefault();
        const drop = readDrop(e);
        if (drop?.kind === "shelf") void insertFootage(drop.id, 0, toShot(e));
        if (drop?.kind === "make") addLayer(drop.id, drop.start, { point: toShot(e) });
      }}
    >
      <canvas
        ref={canvas}
        className="absolute inset-0 h-full w-full"
        aria-label="The picture"
        role="img"
        aria-busy={loading}
        data-frame={frame}
      />
      {shot && !playing && (
        <svg className="absolute inset-0 h-full w-full" style={{ pointerEvents: "none" }}>
          <g transform={`translate(${origin[0]} ${origin[1]})`}>
            <TrackMarks scale={scale} toShot={toShot} />
            {tool === "move" && <Handles scale={scale} toShot={toShot} />}
            {tool === "move" && <EffectHandles scale={scale} toShot={toShot} />}
            {tool === "move" && <PointHandles scale={scale} toShot={toShot} />}
            <Outlines scale={scale} toShot={toShot} />
            <PairMarks scale={scale} toShot={toShot} />
            <SpotMarks scale={scale} toShot={toShot} />
            {lanesAs === "scopes" && scoped && (
              <rect
                x={scoped[0] * scale}
                y={scoped[1] * scale}
                width={scoped[2] * scale}
                height={scoped[3] * scale}
                fill="none"
                stroke="#d8d5ce"
                strokeDasharray="4 3"
                aria-label="What scopes are of"
              />
            )}
            {tool === "plane" && <Drawn points={drawn} pointer={pointer} plate={plate} scale={scale} />}
          </g>
        </svg>
      )}
      {shot && !playing && tool === "object" && (
        <DragBox
          scale={scale}
          origin={origin}
          toShot={toShot}
          done={(a, b) => boxToTrack(through(inverse(plate), a), through(inverse(plate), b))}
        />
      )}
      {shot && !playing && tool === "part" && (
        <DragBox
          scale={scale}
          origin={origin}
          toShot={toShot}
          done={(a, b) =>
            set({
              tool: "move",
              scoped: [Math.min(a[0], b[0]), Math.min(a[1], b[1]), Math.abs(a[0] - b[0]), Math.abs(a[1] - b[1])],
            })
          }
        />
      )}
      {shot && !playing && tool === "region" && (
        <DragBox scale={scale} origin={origin} toShot={toShot} done={regionDragged} />
      )}
      {shot && !playing && selection.kind === "matte" && <Strokes scale={scale} origin={origin} toShot={toShot} />}
      {shot && !playing && isShapeTool(tool) && (
        <DrawShape key={tool} tool={tool} scale={scale} origin={origin} toShot={toShot} />
      )}
      {compare === "wipe" && (
        <div
          role="slider"
          tabIndex={0}
          aria-label="Wipe against the plate"
          aria-valuenow={Math.round(wipe * 100)}
          aria-valuemin={0}
          aria-valuemax={100}
          className="absolute w-4 -translate-x-2 cursor-ew-resize touch-none"
          style={{ left: origin[0] + w * scale * wipe, top: origin[1], height: h * scale }}
          onPointerDown={(e) => {
            e.stopPropagation();
            e.currentTarget.setPointerCapture(e.pointerId);
          }}
          onPointerMove={(e) =>
            e.currentTarget.hasPointerCapture(e.pointerId) && set({ wipe: Math.min(Math.max(toShot(e)[0] / w, 0), 1) })
          }
          onKeyDown={(e) => {
            const by = e.key === "ArrowLeft" ? -0.02 : e.key === "ArrowRight" ? 0.02 : 0;
            if (by) {
              e.stopPropagation();
              set({ wipe: Math.min(Math.max(wipe + by, 0), 1) });
            }
          }}
        >
          <span className="absolute inset-y-0 left-[7px] w-px bg-ink/70" />
          <span className="mono absolute top-2 left-4 rounded bg-black/60 px-2">plate</span>
        </div>
      )}
      {tool !== "move" && (
        <p className="pointer-events-none absolute top-3 left-1/2 -translate-x-1/2 rounded bg-black/70 px-3 py-1">
          {isShapeTool(tool) ? SHAPE_SAYS[tool] : SAYS[tool](drawn.length)} Esc puts the tool away.
        </p>
      )}
      {peek && <p className="mono absolute top-3 left-3 rounded bg-black/70 px-2 py-1">without the selection</p>}
      {!shot && !problem && (
        <p role="status" className="absolute inset-0 m-auto h-fit w-fit text-quiet">
          Opening the shot…
        </p>
      )}
      {problem && (
        <p role="alert" className="absolute inset-x-0 top-1/2 mx-auto w-fit rounded bg-black/80 px-4 py-2 text-warn">
          {problem}
        </p>
      )}
      <Readout at={pointer} />
    </div>
  );
}
