import { useEffect, useRef } from "react";
import { sample } from "../document/animate";
import { bytes, decoded, shownAs } from "../document/colour";
import { at } from "../document/ops";
import type { Control, Vec3 } from "../document/types";
import { useBench, usePick } from "../state/bench";
import { KeyPip } from "../time/Pip";
import { filledIn, useDragged, type Coloured } from "./coloured";
import { useTones } from "./tones";

const W = 276;
const H = 58;
const SIDE = 62; // of a chip
const REACH = 4; // of warmth and tint, to each side
const STOPS = 3;
const BASE = [0.09, 0.4, 0.76]; // display grey that stands for a band
const STEPS = 13;

/** Linear gains of warmth and tint, as a grade has them. */
function gains(warm: number, tint: number, stops: number): number[] {
  const g = [2 ** (warm / 6), 2 ** (-tint / 6), 2 ** (-warm / 6)];
  const luma = 0.2126 * g[0] + 0.7152 * g[1] + 0.0722 * g[2];
  return g.map((v) => (v / luma) * 2 ** stops);
}
const becomes = (grey: number, [warm, tint, stops]: number[]) => gains(warm, tint, stops).map((g) => decoded(grey) * g);
const smooth = (v: number) => {
  const t = Math.min(Math.max(v, 0), 1);
  return t * t * (3 - 2 * t);
};

/** Three chips on a ramp drawn from the picture's own brightness: what each band becomes, and where one gives way to the next. */
export function BandChips(of: Coloured) {
  const { path, owner, layer, effect, controls } = of;
  const { frame } = usePick("frame");
  const shot = useBench((s) => s.shot);
  const tones = useTones(layer, effect);
  if (!filledIn(shot, of)) return null;
  const [low, high, overlap] = ["low", "high", "overlap"].map((n) => sample(at(shot, `${path}/${n}`), frame) as number);
  const bands = controls.map((c) => sample(at(shot, `${path}/${c.name}`), frame) as Vec3);
  const shares = (v: number) => {
    const [a, b] = [smooth((v - low) / overlap + 0.5), smooth((v - Math.max(high, low)) / overlap + 0.5)];
    return [1 - a, a * (1 - b), a * b];
  };
  const greys = Array.from({ length: 70 }, (_, i) => i / 69);
  return (
    <div className="py-1.5">
      <svg width={W} height={H + 10} className="block" aria-label="Bands over the picture's brightness" role="group">
        {greys.map((g, i) => {
          const share = shares(g);
          const mixed = [0, 1, 2].map((k) => bands.reduce((sum, b, j) => sum + b[k] * share[j], 0));
          return (
            <rect
              key={i}
              x={(i * W) / 70}
              width={W / 70 + 0.5}
              y={H - 12}
              height={12}
              fill={shownAs(becomes(g, mixed))}
            />
          );
        })}
        {tones?.brightness.map((v, i, all) => (
          <rect
            key={i}
            x={(i * W) / all.length}
            width={W / all.length - 0.6}
            y={(H - 14) * (1 - Math.sqrt(v))}
            height={(H - 14) * Math.sqrt(v)}
            fill="#a9a6a0"
            fillOpacity=".55"
          />
        ))}
        {[0, 1, 2].map((k) => (
          <path
            key={k}
            d={`M0 ${H - 14}${greys.map((g) => `L${g * W} ${(H - 14) * (1 - shares(g)[k] * 0.96)}`).join("")}L${W} ${H - 14}Z`}
            fill="#e6e4df"
            fillOpacity=".07"
            stroke="#e6e4df"
            strokeOpacity=".35"
          />
        ))}
        <Bound name="low" title="Dark up to" value={low} path={path} owner={owner} />
        <Bound name="high" title="Light from" value={high} path={path} owner={owner} />
      </svg>
      <div className="flex justify-between pt-1">
        {controls.map((c, i) => (
          <Chip key={c.name} control={c} value={bands[i]} grey={BASE[i]} path={`${path}/${c.name}`} owner={owner} />
        ))}
      </div>
    </div>
  );
}

function Bound({
  name,
  title,
  value,
  path,
  owner,
}: {
  name: string;
  title: string;
  value: number;
  path: string;
  owner: string;
}) {
  const { drag, drop, set } = useDragged(`${path}/${name}`, `set ${title.toLowerCase()} of ${owner}`);
  const x = Math.min(Math.max(value, 0), 1) * W;
  const clipped = (v: number) => Number(Math.min(Math.max(v, 0), 1).toFixed(3));
  return (
    <g
      transform={`translate(${x},0)`}
      className="cursor-ew-resize"
      role="slider"
      tabIndex={0}
      aria-label={`${title}, on the ramp`}
      aria-valuenow={Math.round(value * 100)}
      onPointerDown={(e) => e.currentTarget.setPointerCapture(e.pointerId)}
      onPointerMove={(e) => {
        if (!e.currentTarget.hasPointerCapture(e.pointerId)) return;
        const box = e.currentTarget.ownerSVGElement!.getBoundingClientRect();
        drag(clipped((e.clientX - box.left) / box.width));
      }}
      onPointerUp={drop}
      onKeyDown={(e) => {
        const by = e.key === "ArrowLeft" ? -0.01 : e.key === "ArrowRight" ? 0.01 : 0;
        if (!by) return;
        e.stopPropagation();
        set(clipped(value + by));
      }}
    >
      <rect x="-6" width="12" height={H + 10} fill="transparent" />
      <line y2={H} stroke="#c7a252" strokeWidth="1.4" />
      <rect x="-3.5" y={H - 2} width="7" height="11" rx="2" fill="#c7a252" />
    </g>
  );
}

/** A plane, warm to cool across and green to magenta down, filled with what the band becomes; the bar at its side is its lightness. */
function Chip({
  control,
  value,
  grey,
  path,
  owner,
}: {
  control: Control;
  value: Vec3;
  grey: number;
  path: string;
  owner: string;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const { drag, drop, set } = useDragged(path, `set ${control.title.toLowerCase()} of ${owner}`);
  const [warm, tint, stops] = value;
  const parameter = useBench((s) => (s.shot ? at(s.shot, path) : undefined));
  useEffect(() => {
    const context = canvas.current!.getContext("2d")!;
    const image = context.createImageData(STEPS, STEPS);
    for (let y = 0; y < STEPS; y++)
      for (let x = 0; x < STEPS; x++) {
        const place = [x, y].map((v) => ((v / (STEPS - 1)) * 2 - 1) * REACH);
        image.data.set([...bytes(becomes(grey, [-place[0], place[1], stops])), 255], 4 * (y * STEPS + x));
      }
    context.putImageData(image, 0, 0);
  }, [grey, stops]);
  const limit = (v: number, to: number) => Number(Math.min(Math.max(v, -to), to).toFixed(2));
  const inPlane = (e: React.PointerEvent): Vec3 => {
    const box = e.currentTarget.getBoundingClientRect();
    const [x, y] = [(e.clientX - box.left) / box.width, (e.clientY - box.top) / box.height].map(
      (v) => (2 * v - 1) * REACH,
    );
    return [limit(-x, REACH), limit(y, REACH), stops];
  };
  const inBar = (e: React.PointerEvent): Vec3 => {
    const box = e.currentTarget.getBoundingClientRect();
    return [warm, tint, limit((1 - (2 * (e.clientY - box.top)) / box.height) * STOPS, STOPS)];
  };
  const held = (of: (e: React.PointerEvent) => Vec3) => ({
    onPointerDown: (e: React.PointerEvent) => {
      e.currentTarget.setPointerCapture(e.pointerId);
      drag(of(e));
    },
    onPointerMove: (e: React.PointerEvent) => e.currentTarget.hasPointerCapture(e.pointerId) && drag(of(e)),
    onPointerUp: drop,
    onDoubleClick: () => set([0, 0, 0]),
  });
  const keys = (e: React.KeyboardEvent) => {
    const step: Record<string, Vec3> = {
      ArrowLeft: [0.1, 0, 0],
      ArrowRight: [-0.1, 0, 0],
      ArrowUp: e.shiftKey ? [0, 0, 0.1] : [0, -0.1, 0],
      ArrowDown: e.shiftKey ? [0, 0, -0.1] : [0, 0.1, 0],
    };
    const by = step[e.key];
    if (!by) return;
    e.stopPropagation();
    e.preventDefault();
    set(value.map((v, i) => Number((v + by[i]).toFixed(2))));
  };
  const spot = [-warm, tint].map((v) => (Math.min(Math.max(v / REACH, -1), 1) / 2 + 0.5) * SIDE);
  return (
    <figure className="flex flex-col items-center">
      <div className="flex gap-1">
        <div
          className="relative cursor-crosshair touch-none overflow-hidden rounded-sm border border-line"
          style={{ width: SIDE, height: SIDE }}
          role="slider"
          tabIndex={0}
          aria-label={`${control.title} chip`}
          aria-valuenow={Math.round(warm * 100)}
          aria-valuetext={`warmth ${warm.toFixed(2)}, tint ${tint.toFixed(2)}, ${stops.toFixed(2)} stops`}
          title="Warm to the left, cool to the right, green up, magenta down. Double click sets it back."
          onKeyDown={keys}
          {...held(inPlane)}
        >
          <canvas ref={canvas} width={STEPS} height={STEPS} className="absolute inset-0 h-full w-full" />
          <span
            className="absolute h-2.5 w-2.5 -translate-x-1/2 -translate-y-1/2 border border-black/70 outline outline-1 outline-white/80"
            style={{ left: spot[0], top: spot[1], background: shownAs(becomes(grey, value)) }}
          />
        </div>
        <div
          className="relative w-2.5 cursor-ns-resize touch-none rounded-sm border border-line bg-gradient-to-b from-[#ddd] to-[#222]"
          style={{ height: SIDE }}
          aria-label={`${control.title} lightness`}
          title="Lightness, in stops. Double click sets it back."
          {...held(inBar)}
        >
          <span
            className="absolute -inset-x-0.5 h-0.5 bg-brass outline outline-1 outline-black/60"
            style={{ top: `${(0.5 - stops / STOPS / 2) * 100}%` }}
          />
        </div>
      </div>
      <figcaption className="mono flex items-center gap-1 pt-0.5 text-[10px] text-quiet">
        {parameter && <KeyPip parameter={parameter} frame={useBench.getState().frame} />}
        {control.title} {stops !== 0 ? `${stops > 0 ? "+" : ""}${stops.toFixed(1)}` : ""}
      </figcaption>
    </figure>
  );
}
