/** Parameters by path: what a lane or a label calls them, and which of them are keyed. */
import type { About, Animated, Control, Cuts, Layer, Matte, Ride, Shot } from "./types";
import type { Selection } from "../state/bench";
import { hasPicture, hasPlace, isVeil, looksOf, meetingsOf, piecesOf } from "./layers";

export interface Named {
  path: string;
  title: string;
  parameter: Animated;
}

const ofCuts = (cuts: Cuts, path: string, title: string): Named[] =>
  Object.values(cuts).flatMap((cut, i, all) =>
    (["grow", "soften"] as const).map((name) => ({
      path: `${path}/${cut.id}/${name}`,
      title: `${title}${all.length > 1 ? ` ${i + 1}` : ""}: ${name}`,
      parameter: cut[name] as Animated,
    })),
  );

/** The animatable parameters of something of a kind. */
const ofKind = (
  thing: Record<string, unknown>,
  params: Pick<Control, "name" | "title">[],
  path: string,
  title: string,
): Named[] =>
  params
    .filter((p) => Array.isArray((thing[p.name] as Partial<Animated> | null | undefined)?.keys)) // what is set is not keyed
    .map((p) => ({
      path: `${path}/${p.name}`,
      title: `${title.toLowerCase()}: ${p.title.toLowerCase()}`,
      parameter: thing[p.name] as Animated,
    }));

/** All animatable parameters of a layer. */
export function parametersOf(layer: Layer, about: About | undefined): Named[] {
  const base = `/layers/${layer.id}`;
  const out: Named[] = [{ path: `${base}/opacity`, title: "opacity", parameter: layer.opacity }];
  if (hasPicture(layer))
    out.push({ path: `${base}/time/speed`, title: "speed", parameter: layer.time.speed as Animated });
  if (layer.time.position)
    out.push({ path: `${base}/time/position`, title: "frame shown", parameter: layer.time.position as Animated });
  if (hasPlace(layer)) {
    for (const name of ["position", "scale", "rotation", "pivot"] as const)
      out.push({ path: `${base}/place/${name}`, title: name, parameter: layer.place[name] as Animated });
    if (layer.place.depth)
      for (const [name, title] of [
        ["position", "place in depth"],
        ["rotation", "turn in depth"],
        ["width", "width in depth"],
      ] as const)
        out.push({ path: `${base}/place/depth/${name}`, title, parameter: layer.place.depth[name] as Animated });
    if (layer.place.corners)
      out.push({ path: `${base}/place/corners`, title: "corners", parameter: layer.place.corners as Animated });
  }
  const content = about?.contents.find((c) => c.kind === layer.content.kind);
  out.push(...ofKind(layer.content, content?.params ?? [], `${base}/content`, content?.title ?? layer.content.kind));
  out.push(...ofCuts(layer.cuts, `${base}/cuts`, "cut"));
  for (const effect of looksOf(layer)) {
    const info = about?.effects.find((e) => e.kind === effect.kind);
    out.push(
      ...ofKind(
        effect,
        [{ name: "mix", title: "mix" }, ...(info?.params ?? [])],
        `${base}/effects/${effect.id}`,
        info?.title ?? effect.kind,
      ),
    );
    out.push(
      ...ofCuts(effect.cuts, `${base}/effects/${effect.id}/cuts`, `${info?.title.toLowerCase() ?? effect.kind}: cut`),
    );
  }
  for (const meet of meetingsOf(layer)) {
    const info = about?.meets.find((m) => m.kind === meet.kind);
    out.push(...ofKind(meet, info?.params ?? [], `${base}/meets/${meet.id}`, info?.title ?? meet.kind));
  }
  return out;
}

/** All animatable parameters of a matte and its pieces. */
export function parametersOfMatte(matte: Matte, about: About | undefined): Named[] {
  const whole = (about?.matte ?? []).map((c) => ({
    path: `/mattes/${matte.id}/${c.name}`,
    title: c.title.toLowerCase(),
    parameter: matte[c.name as "holes" | "crumbs"] as Animated,
  }));
  return [
    ...whole,
    ...piecesOf(matte).flatMap((piece) => {
      const info = about?.pieces.find((p) => p.kind === piece.kind);
      const base = `/mattes/${matte.id}/pieces/${piece.id}`;
      const own: Named[] =
        piece.kind === "shape"
          ? [{ path: `${base}/outline`, title: `${piece.name}: outline`, parameter: piece.outline as Animated }]
          : [];
      const fields = piece as unknown as Record<string, Animated | undefined>;
      return [
        ...own,
        ...(info?.params ?? [])
          .filter((p) => fields[p.name])
          .map((p) => ({
            path: `${base}/${p.name}`,
            title: `${piece.name}: ${p.title.toLowerCase()}`,
            parameter: fields[p.name]!,
          })),
        ...(piece.kind === "cutout" ? ofCuts(piece.fine_within, `${base}/fine_within`, `${piece.name}: hair`) : []),
      ];
    }),
  ];
}

/** What a track carries: layers of which something rides on it or which it holds still, mattes with pieces that go by it. */
export function carriedBy(shot: Shot, track: string): { what: string; of: Selection }[] {
  const layers = Object.values(shot.layers).filter((l) => {
    const ties = isVeil(l) ? [] : [l.place.ride, l.place.pivot_ride, l.place.depth, l.place.steady];
    return [...ties, ...looksOf(l).map((e) => e.ride as Ride | null | undefined)].some((t) => t?.track === track);
  });
  const mattes = Object.values(shot.mattes).filter((m) =>
    piecesOf(m).some((p) => ("track" in p && p.track === track) || (p.kind === "shape" && p.ride?.track === track)),
  );
  return [
    ...layers.map((l) => ({ what: l.name, of: { kind: "layer" as const, id: l.id } })),
    ...mattes.map((m) => ({ what: m.name, of: { kind: "matte" as const, id: m.id } })),
  ];
}

/** hh:mm:ss:ff style time of a frame, from the shot's rate. */
export function timecode(frame: number, rate: string): string {
  const [top, bottom] = rate.split("/").map(Number);
  const fps = Math.round(top / bottom);
  const seconds = Math.floor(frame / fps);
  const two = (n: number) => String(n).padStart(2, "0");
  const short = `${two(Math.floor(seconds / 60) % 60)}:${two(seconds % 60)}:${two(frame % fps)}`;
  return seconds < 3600 ? short : `${two(Math.floor(seconds / 3600))}:${short}`;
}

export const fps = (rate: string) => {
  const [top, bottom] = rate.split("/").map(Number);
  return top / bottom;
};
