import type { Animated, Ease } from "../document/types";

const SHAPES: Record<Ease, string> = {
  hold: "M3 4h7v12h-7z",
  linear: "M3 8l3.5-5 3.5 5v8h-7z",
  smooth: "M3 7a3.5 3.5 0 0 1 7 0v9h-7z",
  bezier: "M3 7a3.5 3.5 0 0 1 7 0v9h-7z M3 12h7",
};

/** An upright pip, the sign of a key: flat top hold, pointed linear, round eased. */
export function Pip({ ease, filled, quiet }: { ease: Ease; filled: boolean; quiet?: boolean }) {
  return (
    <svg viewBox="0 0 13 18" className={`absolute inset-0 h-full w-full ${quiet ? "opacity-45" : ""}`} aria-hidden>
      <path
        d={SHAPES[ease]}
        fill={filled ? "#c7a252" : "#1b1b1b"}
        stroke={filled ? "#c7a252" : "#d8d5ce"}
        strokeWidth="1.3"
      />
    </svg>
  );
}

/** The pip before a parameter: filled where a key stands at the frame, faint where nothing is keyed. */
export function KeyPip({ parameter, frame }: { parameter: Animated<unknown>; frame: number }) {
  const here = parameter.keys.find((k) => k.frame === frame);
  const before = parameter.keys.filter((k) => k.frame <= frame).at(-1) ?? parameter.keys[0];
  return (
    <span className="relative block h-[14px] w-[10px]">
      <Pip ease={(here ?? before)?.ease ?? "smooth"} filled={here !== undefined} quiet={!parameter.keys.length} />
    </span>
  );
}
