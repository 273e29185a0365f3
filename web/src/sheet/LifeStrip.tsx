import { sample } from "../document/animate";
import { shownAs } from "../document/colour";
import { at, setValue } from "../document/ops";
import type { Control, DrawnCurve, Layer } from "../document/types";
import { useBench, usePick } from "../state/bench";
import { CurveField } from "./CurveField";

/**
 * What one of the many a layer makes goes through, from birth to end: pictures of it at ages, and on the same
 * axis the curves and colours that make it so.
 */
export function LifeStrip({
  layer,
  life,
  params,
}: {
  layer: Layer;
  life: { curves: string[]; colours: string[] };
  params: Control[];
}) {
  const { stored, frame, draft, commit } = usePick("stored", "frame", "draft", "commit");
  const shot = useBench((s) => s.shot);
  const overlay = useBench((s) => s.overlay);
  if (!shot || !stored) return null;
  const base = `/layers/${layer.id}/content`;
  const asked = new URLSearchParams({
    revision: String(stored.revision),
    frame: String(frame),
    ...(overlay.length ? { over: JSON.stringify(overlay) } : {}),
  });
  const colours = life.colours.map((name) => sample(at(shot, `${base}/${name}`)!, frame) as number[]);
  return (
    <div role="group" aria-label="Life of one" className="pt-1 pb-2">
      <img
        src={`/api/shots/${stored.id}/life/${layer.id}.jpg?${asked}`}
        alt="One of them at seven ages"
        className="block w-full rounded-t border border-b-0 border-line"
      />
      <div
        aria-hidden
        className="h-2 border-x border-line"
        style={{ background: `linear-gradient(90deg, ${colours.map((c) => shownAs(brightest(c))).join(", ")})` }}
      />
      {life.curves.map((name) => {
        const control = params.find((p) => p.name === name)!;
        const path = `${base}/${name}`;
        return (
          <div key={name} className="relative">
            <CurveField
              wide
              title={control.title}
              value={sample(at(shot, path)!, frame) as DrawnCurve}
              drag={(v) => draft(setValue(useBench.getState().shot!, path, frame, v))}
              set={(v) =>
                void commit(
                  `set ${control.title.toLowerCase()} of ${layer.name}`,
                  setValue(useBench.getState().shot!, path, frame, v),
                )
              }
            />
            <span className="pointer-events-none absolute top-1 right-1.5 text-small text-quiet">{control.title}</span>
          </div>
        );
      })}
      <p className="flex justify-between text-[10px] text-quiet">
        <span>born</span>
        <span>ends</span>
      </p>
    </div>
  );
}

/** A colour by itself, its brightness left aside. */
function brightest(colour: number[]): number[] {
  const most = Math.max(...colour, 1e-6);
  return colour.map((c) => c / most);
}
