import { useRef, useState } from "react";
import { calculate } from "./arithmetic";

interface Props {
  label: string;
  value: number;
  step: number;
  unit?: string;
  digits?: number;
  soft?: [number, number] | null;
  hard?: (number | null)[];
  bar?: boolean;
  width?: number;
  onDrag: (value: number) => void;
  onSet: (value: number) => void;
}

const clamp = (v: number, [low, high]: (number | null)[] = [null, null]) =>
  Math.min(Math.max(v, low ?? -Infinity), high ?? Infinity);

/** A value to drag (Shift: fine), nudge with the wheel or arrows, or double-click and type, arithmetic allowed. */
export function Scrub({
  label,
  value: given,
  step,
  unit = "",
  digits,
  soft,
  hard,
  bar,
  width = 62,
  onDrag,
  onSet,
}: Props) {
  const [typed, setTyped] = useState<string | null>(null);
  const [held, setHeld] = useState<number | null>(null); // while it is dragged
  const value = held ?? given;
  const whole = useRef(false); // what stands there is to be replaced, and is no key that was just typed
  const drag = useRef<{ x: number; start: number; now: number; moved: boolean } | null>(null);
  const places = digits ?? Math.min(3, Math.max(0, -Math.floor(Math.log10(step) + 1e-9)));
  const perPixel = soft ? (soft[1] - soft[0]) / 240 : step;
  const round = (v: number, fine: boolean) => {
    const s = fine ? step / 10 : step;
    return Number(clamp(Math.round(v / s) * s, hard).toFixed(6));
  };
  const nudge = (sign: number, fine: boolean, coarse: boolean) =>
    onSet(round(value + sign * step * (coarse ? 10 : 1) * (fine ? 0.1 : 1), fine));
  const type = (text: string, all: boolean) => {
    whole.current = all;
    setTyped(text);
  };
  if (typed !== null) {
    const finish = () => {
      const v = calculate(typed.replace(unit, ""));
      setTyped(null);
      if (v !== null) onSet(clamp(v, hard));
    };
    return (
      <input
        autoFocus
        aria-label={label}
        className="field mono h-6 py-0 text-right"
        style={{ width: bar ? "100%" : width + 12 }}
        value={typed}
        onChange={(e) => setTyped(e.target.value)}
        onBlur={finish}
        onFocus={(e) => {
          if (whole.current) e.target.select();
        }}
        onKeyDown={(e) => {
          e.stopPropagation();
          if (e.key === "Enter") finish();
          if (e.key === "Escape") setTyped(null);
        }}
      />
    );
  }
  const share = soft ? Math.min(Math.max((value - soft[0]) / (soft[1] - soft[0]), 0), 1) : 0;
  return (
    <div
      role="slider"
      tabIndex={0}
      aria-label={label}
      aria-valuenow={value}
      aria-valuetext={`${value.toFixed(places)} ${unit}`.trim()}
      aria-valuemin={soft?.[0]}
      aria-valuemax={soft?.[1]}
      className="flex h-6 min-w-0 cursor-ew-resize touch-none items-center justify-end gap-2 rounded select-none hover:bg-raised"
      style={bar ? { flex: 1 } : undefined}
      onPointerDown={(e) => {
        if (e.button !== 0) return;
        e.currentTarget.setPointerCapture(e.pointerId);
        drag.current = { x: e.clientX, start: value, now: value, moved: false };
      }}
      onPointerMove={(e) => {
        const d = drag.current;
        if (!d) return;
        if (Math.abs(e.clientX - d.x) < 2 && !d.moved) return;
        const delta = (e.clientX - d.x) * perPixel * (e.shiftKey ? 0.1 : 1);
        d.start += delta;
        d.x = e.clientX;
        d.moved = true;
        d.now = round(d.start, e.shiftKey);
        setHeld(d.now);
        onDrag(d.now);
      }}
      onPointerUp={() => {
        const d = drag.current;
        drag.current = null;
        setHeld(null);
        if (d?.moved) onSet(d.now);
      }}
      onDoubleClick={() => type(value.toFixed(places), true)}
      onWheel={(e) => {
        if (document.activeElement === e.currentTarget) nudge(e.deltaY < 0 ? 1 : -1, e.shiftKey, false);
      }}
      onKeyDown={(e) => {
        const sign = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[e.key];
        if (sign) {
          e.preventDefault();
          e.stopPropagation();
          nudge(sign, e.shiftKey, e.altKey);
        } else if (e.key === "Enter" || /^[\d.(-]$/.test(e.key)) {
          e.preventDefault();
          e.stopPropagation();
          const enter = e.key === "Enter";
          type(enter ? value.toFixed(places) : e.key, enter);
        }
      }}
    >
      {bar && soft && (
        <span aria-hidden className="relative h-[3px] min-w-0 flex-1 rounded bg-[#454545]">
          <span className="absolute inset-y-0 left-0 rounded bg-[#8d8a84]" style={{ width: `${share * 100}%` }} />
          <span
            className="absolute -top-[5px] h-[13px] w-[3px] rounded bg-ink"
            style={{ left: `calc(${share * 100}% - 1px)` }}
          />
        </span>
      )}
      <span
        className="mono shrink-0 text-right whitespace-nowrap"
        style={{ width: unit.length > 2 ? width + 22 : width }}
      >
        {value.toFixed(places)}
        {unit && <span className="text-quiet"> {unit}</span>}
      </span>
    </div>
  );
}
