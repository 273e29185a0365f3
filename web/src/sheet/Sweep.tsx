import { useState } from "react";
import { setValue } from "../document/ops";
import type { Control, Vec2 } from "../document/types";
import { SMALL, useSmall } from "../picture/small";
import { useBench } from "../state/bench";
import { Small } from "../ui/PictureMenu";
import { sweeping } from "./sweeping";

const NARROWER = 0.6;

/** Five pictures across a parameter's range, the one in the middle as it is now: a click takes one, the wheel narrows the range. */
export function Sweep({
  control,
  path,
  value,
  layer,
  set,
}: {
  control: Control;
  path: string;
  value: number;
  layer: string;
  set: (v: number) => void;
}) {
  const [share, setShare] = useState(1);
  const small = useSmall(layer);
  const frame = useBench((s) => s.frame);
  const shot = useBench((s) => s.base);
  if (!small || !shot) return null;
  const percent = control.hard[0] === 0 && control.hard[1] === 1 && !control.unit;
  const words = (v: number) =>
    percent ? `${Math.round(v * 100)} %` : `${Number(v.toPrecision(3))}${control.unit ? ` ${control.unit}` : ""}`;
  return (
    <div
      role="group"
      aria-label={`Sweep of ${control.title}`}
      className="my-1 flex gap-1"
      onWheel={(e) => setShare((s) => Math.min(1, Math.max(0.02, s * (e.deltaY < 0 ? NARROWER : 1 / NARROWER))))}
    >
      {sweeping(value, control.soft as Vec2 | null, control.hard, share).map((v, i) => (
        <button
          key={i}
          className={`min-w-0 flex-1 rounded border p-0.5 ${i === 2 ? "border-brass" : "border-line hover:border-quiet"}`}
          aria-label={`${control.title} ${words(v)}`}
          title={i === 2 ? "As it is now" : `Take ${words(v)}. The wheel narrows the range.`}
          onClick={() => v !== value && set(v)}
          style={{ maxWidth: SMALL }}
        >
          <Small src={small(setValue(shot, path, frame, v))} />
          <span className={`mono block truncate text-[10px] ${i === 2 ? "text-brass" : "text-quiet"}`}>
            {words(v).replace(/ [^%].*/, "")}
          </span>
        </button>
      ))}
    </div>
  );
}
