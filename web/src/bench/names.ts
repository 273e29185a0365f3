/** Parameters by path: what a lane or a label calls them, and which of them are keyed. */
import type { About, Animated, Control, Cut, Layer, Matte, Ride, Shot } from "../document/types";
import type { Selection } from "../state/bench";

const EDGES = [["wrap", "light wrap"], ["wrap_width", "wrap width"], ["edge_soften", "soft edge"], ["edge_width", "edge width"], ["edge_exposure", "edge light"], ["edge_saturation", "edge colour"]] as const;

export interface Named { path: string; title: string; parameter: Animated }

const ofCuts = (cuts: Cut[], path: string, title: string): Named[] =>
  cuts.flatMap((cut, i) => (["grow", "soften"] as const).map((name) => ({ path: `${path}/${i}/${name}`, title: `${title}${cuts.length > 1 ? ` ${i + 1}` : ""}: ${name}`, parameter: cut[name] as Animated })));

/** All animatable parameters of a layer. */
export function parametersOf(layer: Layer, about: About | undefined): Named[] {
  const base = `/layers/${layer.id}`;
  const out: Named[] = [{ path: `${base}/opacity`, title: "opacity", parameter: layer.opacity }];
  if (layer.kind === "footage") out.push({ path: `${base}/speed`, title: "speed", parameter: layer.speed as Animated });
  if (layer.kind === "footage") for (const [name, title] of EDGES) out.push({ path: `${base}/${name}`, title, parameter: layer[name] as Animated });
  if (layer.kind !== "veil") {
    for (const name of ["position", "scale", "rotation", "pivot"] as const) out.push({ path: `${base}/place/${name}`, title: name, parameter: layer.place[name] as Animated });
    if (layer.place.depth) for (const [name, title] of [["position", "place in depth"], ["rotation", "turn in depth"], ["width", "width in depth"], ["shadow", "shadow"], ["shadow_soft", "shadow's edge"]] as const) out.push({ path: `${base}/place/depth/${name}`, title, parameter: layer.place.depth[name] as Animated });
    if (layer.place.corners) out.push({ path: `${base}/place/corners`, title: "corners", parameter: layer.place.corners as Animated });
  }
  out.push(...ofCuts(layer.cut, `${base}/cut`, "cut"));
  layer.effects.forEach((effect, i) => {
    const info = about?.effects.find((e) => e.kind === effect.kind);
    const params: Pick<Control, "name" | "title">[] = [{ name: "mix", title: "mix" }, ...(info?.params ?? [])];
    for (const p of params) {
      const parameter = effect[p.name] as Animated | undefined;
      if (parameter) out.push({ path: `${base}/effects/${i}/${p.name}`, title: `${info?.title.toLowerCase() ?? effect.kind}: ${p.title.toLowerCase()}`, parameter });
    }
    out.push(...ofCuts(effect.cut, `${base}/effects/${i}/cut`, `${info?.title.toLowerCase() ?? effect.kind}: cut`));
  });
  return out;
}

/** All animatable parameters of a matte and its pieces. */
export function parametersOfMatte(matte: Matte, about: About | undefined): Named[] {
  const whole = (about?.matte ?? []).map((c) => ({ path: `/mattes/${matte.id}/${c.name}`, title: c.title.toLowerCase(), parameter: matte[c.name as "holes" | "crumbs"] as Animated }));
  return [...whole, ...matte.pieces.flatMap((piece, i) => {
    const info = about?.pieces.find((p) => p.kind === piece.kind);
    const base = `/mattes/${matte.id}/pieces/${i}`;
    const own: Named[] = piece.kind === "shape" ? [{ path: `${base}/outline`, title: `${piece.name}: outline`, parameter: piece.outline as Animated }] : [];
    const fields = piece as unknown as Record<string, Animated | undefined>;
    return [...own, ...(info?.params ?? []).filter((p) => fields[p.name]).map((p) => ({ path: `${base}/${p.name}`, title: `${piece.name}: ${p.title.toLowerCase()}`, parameter: fields[p.name]! })), ...(piece.kind === "cutout" ? ofCuts(piece.fine_within, `${base}/fine_within`, `${piece.name}: hair`) : [])];
  })];
}

/** What a track carries: layers of which something rides on it or which it holds still, mattes with pieces that go by it. */
export function carriedBy(shot: Shot, track: string): { what: string; of: Selection }[] {
  const layers = Object.values(shot.layers).filter((l) => {
    const ties = l.kind === "veil" ? [] : [l.place.ride, l.place.pivot_ride, l.place.depth, l.place.steady];
    return [...ties, ...l.effects.map((e) => e.ride as Ride | null | undefined)].some((t) => t?.track === track);
  });
  const mattes = Object.values(shot.mattes).filter((m) => m.pieces.some((p) => ("track" in p && p.track === track) || (p.kind === "shape" && p.ride?.track === track)));
  return [...layers.map((l) => ({ what: l.name, of: { kind: "layer" as const, id: l.id } })), ...mattes.map((m) => ({ what: m.name, of: { kind: "matte" as const, id: m.id } }))];
}

/** hh:mm:ss:ff style time of a frame, from the shot's rate. */
export function timecode(frame: number, rate: string): string {
  const [top, bottom] = rate.split("/").map(Number);
  const fps = Math.round(top / bottom);
  const seconds = Math.floor(frame / fps);
  const two = (n: number) => String(n).padStart(2, "0");
  return `${two(Math.floor(seconds / 60))}:${two(seconds % 60)}:${two(frame % fps)}`;
}

export const fps = (rate: string) => {
  const [top, bottom] = rate.split("/").map(Number);
  return top / bottom;
};
