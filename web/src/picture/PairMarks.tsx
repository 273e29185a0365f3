import type { Pair, Vec2 } from "../document/types";
import { usePick } from "../state/bench";
import { pairsOf, usePairs } from "../state/pairs";
import { changePairs } from "../tools/matching";
import { useMoved } from "./useGrip";

const ROSE = "#cf7d8c"; // of places in an insert, as scopes have it
const GREY = "#d8d5ce"; // of places in the plate

/** Pairs of the selected insert: a spot in it, the place in the plate that it should look like, and which belongs to which. */
export function PairMarks({ scale, toShot }: { scale: number; toShot: (e: React.PointerEvent) => Vec2 }) {
  const { selection, tool, frame, base: shot } = usePick("selection", "tool", "frame", "base");
  const layer = selection.kind === "layer" ? shot?.layers[selection.id] : undefined;
  const pairs = usePairs((s) => pairsOf(layer, s.asked));
  const half = usePairs((s) => s.half);
  const { moved, grip } = useMoved<{ i: number; end: "own" | "plate" }>(toShot, ({ i, end }, to) => {
    const at = to.map((v) => Number(v.toFixed(1))) as Vec2;
    if (!layer) return;
    changePairs(
      layer.id,
      pairs.map((p, k) => (k === i ? { ...p, [end]: at, [`${end}_frame`]: frame } : p)),
    );
  });
  if ((tool !== "pair" && tool !== "move") || (!pairs.length && !half)) return null;
  const place = (pair: Pair, i: number, end: "own" | "plate") =>
    moved?.mark.i === i && moved.mark.end === end ? moved.at : pair[end];
  return (
    <g role="group" aria-label="Pairs in the picture">
      {pairs.map((pair, i) => {
        const [own, plate] = (["own", "plate"] as const).map((end) => place(pair, i, end).map((v) => v * scale));
        return (
          <g key={i}>
            <line
              x1={own[0]}
              y1={own[1]}
              x2={plate[0]}
              y2={plate[1]}
              stroke={GREY}
              strokeOpacity=".35"
              strokeDasharray="2 4"
            />
            <Spot
              at={own}
              colour={ROSE}
              label={`${i + 1}`}
              dim={pair.own_frame !== frame}
              {...grip({ i, end: "own" })}
            />
            <Spot
              at={plate}
              colour={GREY}
              label={`${i + 1}`}
              dim={pair.plate_frame !== frame}
              square
              {...grip({ i, end: "plate" })}
            />
          </g>
        );
      })}
      {half && <Spot at={half.own.map((v) => v * scale)} colour={ROSE} label="…" />}
    </g>
  );
}

function Spot({
  at,
  colour,
  label,
  square,
  dim,
  ...handlers
}: {
  at: number[];
  colour: string;
  label: string;
  square?: boolean;
  dim?: boolean;
} & React.SVGProps<SVGGElement>) {
  return (
    <g
      transform={`translate(${at[0]},${at[1]})`}
      className="cursor-grab"
      style={{ pointerEvents: "auto" }}
      opacity={dim ? 0.5 : 1}
      {...handlers}
    >
      <circle r="10" fill="transparent" />
      {square ? (
        <>
          <rect x="-5" y="-5" width="10" height="10" fill="none" stroke="#000" strokeOpacity=".6" strokeWidth="4" />
          <rect x="-5" y="-5" width="10" height="10" fill="none" stroke={colour} strokeWidth="2" />
        </>
      ) : (
        <>
          <circle r="5" fill="none" stroke="#000" strokeOpacity=".6" strokeWidth="4" />
          <circle r="5" fill="none" stroke={colour} strokeWidth="2" />
        </>
      )}
      <text x="8" y="4" fontSize="11" fill={colour} stroke="#000" strokeWidth="2.5" paintOrder="stroke">
        {label}
      </text>
    </g>
  );
}
