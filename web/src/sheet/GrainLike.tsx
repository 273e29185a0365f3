import type { Meet } from "../document/types";
import { usePick } from "../state/bench";
import { Tip } from "../ui/Tip";

export interface Like {
  tones: number[];
  bands: number[];
  mix: number[];
}
export const likeOf = (thing: Meet | object): Like | null => (thing as { like?: Like | null }).like ?? null;
/** What measured grain takes the place of. */
export const INSTEAD = ["size", "colour", "tones"];
const SIZE = { w: 96, h: 34 };

/** Grain that is the plate's own: how strong at each brightness, how much of it how fine; and back to numbers set by hand. */
export function GrainLike({ like, path, owner }: { like: Like; path: string; owner: string }) {
  const { commit } = usePick("commit");
  const strongest = Math.max(...like.tones, 1e-6);
  // what a frequency holds grows with how many there are of it
  const held = like.bands.map((p, i) => p * (i + 0.5));
  return (
    <div className="flex flex-wrap items-end gap-3 py-1 pl-7" role="group" aria-label="Measured on the plate">
      <Plot
        label="Strength from dark to light"
        ends={["dark", "light"]}
        values={like.tones.map((v) => v / strongest)}
      />
      <Plot
        label="How much of it is how fine"
        ends={["coarse", "fine"]}
        values={held.map((v) => v / Math.max(...held, 1e-9))}
      />
      <Tip text="Forget what was measured, and set size, colour and middle tones by hand.">
        <button
          className="btn px-2 py-0.5 text-small"
          onClick={() =>
            void commit(`set the ${owner} by hand`, [{ op: "replace", path: `${path}/like`, value: null }])
          }
        >
          By hand
        </button>
      </Tip>
    </div>
  );
}

function Plot({ label, ends, values }: { label: string; ends: [string, string]; values: number[] }) {
  const { w, h } = SIZE;
  const points = values.map((v, i) => `${((i + 0.5) / values.length) * w},${h - 2 - Math.min(v, 1) * (h - 5)}`);
  return (
    <figure className="m-0">
      <svg width={w} height={h} className="block rounded bg-ground" role="img" aria-label={label}>
        <polyline points={points.join(" ")} fill="none" stroke="#a9a6a0" strokeWidth="1.4" />
      </svg>
      <figcaption className="flex justify-between text-small text-quiet" style={{ width: w }}>
        <span>{ends[0]}</span>
        <span>{ends[1]}</span>
      </figcaption>
    </figure>
  );
}
