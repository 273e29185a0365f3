import { useRef } from "react";
import { sample } from "../document/animate";
import { styleOf } from "../document/colour";
import { at } from "../document/ops";
import type { Control, Vec2 } from "../document/types";
import { useBench, usePick } from "../state/bench";
import { filledIn, useDragged, type Coloured } from "./coloured";
import { useTones } from "./tones";

const W = 276;
const H = 86;
const MOST = 2; // how strong a hue may be pulled here
const TURN = 60; // degrees to each side
const [CB, CR] = [1.8556, 1.5748];
const y = (pull: number) => H - 14 - (Math.min(pull, MOST) / MOST) * (H - 24);

/** The colour of a hue by its angle in the plane of chroma, as strong as it is pulled. */
function colour(turn: number, pull: number): string {
  const [luma, strong] = [0.52, 0.19 * Math.min(pull, MOST)];
  const [p, q] = [Math.cos(turn) * strong * CB, Math.sin(turn) * strong * CR];
  const rgb = [luma + q, luma - (0.2126 * q + 0.0722 * p) / 0.7152, luma + p];
  return styleOf(rgb);
}

/** The hues that are in the picture, bent by what is set: pulled up for stronger, down for weaker, sideways to turn them. */
export function HueStrip(of: Coloured) {
  const { path, owner, layer, effect, controls } = of;
  const { frame } = usePick("frame");
  const shot = useBench((s) => s.shot);
  const tones = useTones(layer, effect);
  if (!filledIn(shot, of)) return null;
  const n = controls.length;
  const values = controls.map((c) => sample(at(shot, `${path}/${c.name}`), frame) as Vec2);
  const bent = (share: number): Vec2 => {
    const [i, t] = [Math.floor(share * n), share * n - Math.floor(share * n)];
    const [a, b] = [values[i % n], values[(i + 1) % n]];
    return [a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t];
  };
  return (
    <svg
      width={W}
      height={H}
      className="my-1.5 block touch-none rounded bg-ground"
      role="group"
      aria-label="Hues of the picture"
    >
      <line x1="0" x2={W} y1={y(1)} y2={y(1)} stroke="#fff" strokeOpacity=".18" />
      {tones?.hues.map((v, i, all) => {
        const [pull, turn] = bent(i / all.length);
        const high = Math.sqrt(v) * (H - 26) * 0.5 * Math.min(pull, MOST);
        return (
          <rect
            key={i}
            x={((i + 0.5) * W) / all.length}
            width={W / all.length - 0.8}
            y={H - 14 - high}
            height={Math.max(high, 1.5)}
            fill={colour((i / all.length) * 2 * Math.PI + (turn * Math.PI) / 180, Math.max(pull, 0.15))}
          />
        );
      })}
      {controls.map((c, i) => (
        <Mark
          key={c.name}
          control={c}
          value={values[i]}
          at={i / n}
          step={W / n}
          path={`${path}/${c.name}`}
          owner={owner}
        />
      ))}
      {controls.map((c, i) => (
        <text key={c.name} x={((i + 0.25) / n) * W} y={H - 3} fontSize="9" textAnchor="middle" fill="#a9a6a0">
          {c.title.toLowerCase()}
        </text>
      ))}
    </svg>
  );
}

const rounded = (v: Vec2): Vec2 => [Number(Math.max(v[0], 0).toFixed(2)), Number(v[1].toFixed(1))];
const KEYS: Record<string, Vec2> = {
  ArrowUp: [0.05, 0],
  ArrowDown: [-0.05, 0],
  ArrowLeft: [0, -2],
  ArrowRight: [0, 2],
};

/** One hue: as high as it is strong, as far aside as it is turned; `at` its share of the strip, `step` from one to the next. */
function Mark({
  control,
  value,
  at: share,
  step,
  path,
  owner,
}: {
  control: Control;
  value: Vec2;
  at: number;
  step: number;
  path: string;
  owner: string;
}) {
  const { drag, drop, set } = useDragged(path, `set ${control.title.toLowerCase()} of ${owner}`);
  const held = useRef<{ x: number; y: number; value: Vec2 } | null>(null);
  const [pull, turn] = value;
  const said = `${pull.toFixed(2)} as strong, turned by ${turn.toFixed(0)}°`;
  return (
    <g
      transform={`translate(${share * W + step / 4 + (turn / 45) * step},${y(pull)})`}
      className="cursor-move"
      role="slider"
      tabIndex={0}
      aria-label={`${control.title}, in the strip`}
      aria-valuenow={Math.round(pull * 100)}
      aria-valuetext={said}
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        held.current = { x: e.clientX, y: e.clientY, value };
      }}
      onPointerMove={(e) => {
        const h = held.current;
        if (!h || !e.currentTarget.hasPointerCapture(e.pointerId)) return;
        const pulled = h.value[0] - ((e.clientY - h.y) / (H - 24)) * MOST;
        const turned = h.value[1] + ((e.clientX - h.x) / step) * 45;
        drag(rounded([pulled, Math.min(Math.max(turned, -TURN), TURN)]));
      }}
      onPointerUp={() => {
        held.current = null;
        drop();
      }}
      onDoubleClick={() => set([1, 0])}
      onKeyDown={(e) => {
        const by = KEYS[e.key];
        if (!by) return;
        e.stopPropagation();
        e.preventDefault();
        set(rounded([pull + by[0], turn + by[1]]));
      }}
    >
      <rect x="-9" y="-9" width="18" height="18" fill="transparent" />
      <path
        d="M0 -6L5 3H-5Z"
        fill={colour(share * 2 * Math.PI + (turn * Math.PI) / 180, 1.6)}
        stroke="#000"
        strokeOpacity=".7"
      />
      <title>{`${control.title}: ${said}. Double click sets it back.`}</title>
    </g>
  );
}
