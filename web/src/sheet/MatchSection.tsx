import { ArrowRight, X } from "lucide-react";
import { useState } from "react";
import { styleOf } from "../document/colour";
import type { Layer } from "../document/types";
import { usePick } from "../state/bench";
import { pairsOf, usePairs } from "../state/pairs";
import { changePairs, matchBy, workOn } from "../tools/matching";
import { Menu } from "../ui/Menu";
import { Tip } from "../ui/Tip";
import { Section } from "./Section";

/** An insert's colours brought to its plate: by pairs, by a region, by itself; following its light; or the scene lit by it. */
export function MatchSection({ layer }: { layer: Layer }) {
  const { tool, set, base: shot, lanesAs } = usePick("tool", "set", "base", "lanesAs");
  const pairs = usePairs((s) => pairsOf(layer, s.asked));
  const said = usePairs((s) => s.said[layer.id]);
  const half = usePairs((s) => s.half);
  const setHalf = usePairs((s) => s.setHalf);
  const [busy, setBusy] = useState(false);
  if (!shot) return null;
  const during = (work: Promise<void>) => {
    setBusy(true);
    void work.finally(() => setBusy(false));
  };
  const picking = tool === "pair";
  const take = (wanted: "pair" | "region") => {
    setHalf(null);
    set({ tool: tool === wanted ? "move" : wanted });
  };
  const whole = [0, 0, shot.size[0], shot.size[1]] as [number, number, number, number];
  return (
    <Section title="Match" note={pairs.length ? `${pairs.length} pair${pairs.length > 1 ? "s" : ""}` : undefined}>
      <div className="flex flex-wrap items-center gap-2 py-1">
        <Tip text="Click a place in the insert, then the place in the plate that it should look like.">
          <button className="btn" aria-pressed={picking} onClick={() => take("pair")}>
            {picking ? (half ? "Now in the plate…" : "First in the insert…") : "Pick pairs"}
          </button>
        </Tip>
        <Menu
          className="btn"
          label="Other ways to match its colours"
          trigger="Match colours…"
          choices={[
            { id: "region", label: "to a region of the plate, drawn", act: () => take("region") },
            {
              id: "plate",
              label: "to the whole plate at this frame",
              act: () => during(matchBy(layer.id, { by: "regions", plate: whole })),
            },
            { id: "itself", label: "to what is around it", act: () => during(matchBy(layer.id, { by: "itself" })) },
            {
              id: "light",
              label: "follow the plate's light, right at this frame",
              act: () => void workOn("follow-light", layer.id),
            },
            {
              id: "scene",
              label: "give its light to the plate (a new sky)",
              act: () => during(matchBy(layer.id, { by: "scene" })),
            },
          ]}
        />
        <Tip text="Measures whether it sits in the plate, and mends what does not." keys="Shift+I">
          <button
            className="btn"
            aria-pressed={lanesAs === "sit"}
            onClick={() => set({ lanesAs: lanesAs === "sit" ? "lanes" : "sit" })}
          >
            Sit check
          </button>
        </Tip>
      </div>
      {pairs.length > 0 && (
        <ol className="flex flex-col gap-1 py-1" aria-label="Pairs">
          {pairs.map((pair, i) => {
            const found = said?.pairs[i];
            return (
              <li key={i} className="group flex h-6 items-center gap-1.5">
                <span className="mono w-5 text-right text-quiet">{i + 1}</span>
                <Swatch colour={found?.own} label={`Pair ${i + 1}, in the insert`} />
                <ArrowRight size={12} className="text-quiet" />
                <Swatch colour={found?.plate} label={`Pair ${i + 1}, in the plate`} />
                <span className="mono flex-1 truncate text-quiet">
                  {found ? `${found.before.toFixed(1)} → ${found.after.toFixed(1)}` : `frame ${pair.own_frame}`}
                </span>
                <button
                  className="icon-btn tight opacity-0 group-hover:opacity-100 focus-visible:opacity-100"
                  aria-label={`Drop pair ${i + 1}`}
                  onClick={() =>
                    changePairs(
                      layer.id,
                      pairs.filter((_, k) => k !== i),
                    )
                  }
                >
                  <X size={12} />
                </button>
              </li>
            );
          })}
        </ol>
      )}
      {(busy || said?.words) && (
        <p className="pb-1 text-quiet" role="status">
          {busy ? "Comparing colours…" : said?.words}
        </p>
      )}
    </Section>
  );
}

function Swatch({ colour, label }: { colour?: number[]; label: string }) {
  return (
    <span
      role="img"
      aria-label={label}
      className="h-4 w-9 rounded border border-line"
      style={{ background: colour ? styleOf(colour) : "transparent" }}
    />
  );
}
