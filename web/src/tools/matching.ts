/** Bringing an insert's colours to its plate. */
import { addSpot, MOST_SPOTS, spotsOf } from "../document/spots";
import { api, got, queries } from "../api/client";
import type { components } from "../api/schema.d";
import type { Op, Pair, Vec2 } from "../document/types";
import { useBench } from "../state/bench";
import { pairsOf, usePairs } from "../state/pairs";

type Matched = components["schemas"]["Matched"];
type Asked = Partial<components["schemas"]["Asked"]>;

const selected = () => {
  const { selection, base } = useBench.getState();
  return selection.kind === "layer" ? base?.layers[selection.id] : undefined;
};

let before: Promise<void> = Promise.resolve();

/**
 * Asks for a grade by what was picked, and lays it in; what it says is shown in the sheet. One after another:
 * each replaces what the one before laid in.
 */
export function matchBy(layer: string, asked: Asked): Promise<void> {
  before = before.then(() => matched(layer, asked));
  return before;
}

async function matched(layer: string, asked: Asked): Promise<void> {
  const { frame, say } = useBench.getState();
  try {
    await useBench.getState().landed();
    const { id, stored, commit } = useBench.getState();
    const found = await got<Matched>(
      api.POST("/api/shots/{shot_id}/layers/{layer_id}/match", {
        params: { path: { shot_id: id!, layer_id: layer }, query: { revision: stored!.revision } },
        body: { frame, ...asked } as components["schemas"]["Asked"],
      }),
    );
    usePairs.getState().tell(layer, { words: found.words, pairs: found.pairs ?? [] });
    if (found.fix) await commit(found.fix.label, found.fix.patch as unknown as Op[]);
  } catch (error) {
    say((error as Error).message);
  }
}

/** A click with pairs in hand: first in the insert, then in the plate. */
export function pairClick(at: Vec2): void {
  const { frame } = useBench.getState();
  const { half, setHalf } = usePairs.getState();
  const layer = selected();
  if (!layer) return;
  const spot = at.map((v) => Number(v.toFixed(1))) as Vec2;
  if (!half) return setHalf({ own: spot, own_frame: frame });
  setHalf(null);
  changePairs(layer.id, [...pairsOf(layer), { ...half, plate: spot, plate_frame: frame }]);
}

/** Other pairs in place of those there were: the edit that keeps them matches by them. */
export function changePairs(layer: string, pairs: Pair[]): void {
  const { setAsked, tell } = usePairs.getState();
  setAsked(layer, pairs);
  const done = () => usePairs.getState().asked[layer] === pairs && setAsked(layer);
  if (pairs.length) return void matchBy(layer, { by: "pairs", pairs }).finally(done);
  tell(layer, { words: "", pairs: [] });
  const { commit } = useBench.getState();
  void commit("let go of the pairs", [{ op: "add", path: `/layers/${layer}/pairs`, value: [] }]).finally(done);
}

/** A box that was dragged over the plate. */
export function regionDragged(a: Vec2, b: Vec2): void {
  const layer = selected();
  useBench.getState().set({ tool: "move" });
  if (!layer) return;
  const [x, y] = [Math.min(a[0], b[0]), Math.min(a[1], b[1])];
  const plate = [x, y, Math.abs(a[0] - b[0]), Math.abs(a[1] - b[1])] as [number, number, number, number];
  void matchBy(layer.id, { by: "regions", plate });
}

/** Work in the background on a layer, from the frame that is shown. */
export async function workOn(kind: string, layer: string): Promise<void> {
  const { say } = useBench.getState();
  try {
    await useBench.getState().landed();
    const { id, frame } = useBench.getState();
    await got(
      api.POST("/api/shots/{shot_id}/work/{kind}", {
        params: { path: { shot_id: id!, kind } },
        body: { layer, reference: frame },
      }),
    );
    await queries.invalidateQueries({ queryKey: ["runs"] });
  } catch (error) {
    say((error as Error).message);
  }
}

/** A click of the spot tool: one more place whose values are kept in view. The tool stays in hand. */
export function holdSpot(at: Vec2): void {
  const { base, commit, set } = useBench.getState();
  if (!base) return;
  if (spotsOf(base).length < MOST_SPOTS) void commit("hold a spot", addSpot(base, at));
  if (spotsOf(base).length >= MOST_SPOTS - 1) set({ tool: "move" });
}
