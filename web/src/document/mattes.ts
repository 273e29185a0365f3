/** Edits of mattes: pieces, outlines, and what is cut by them. */
import { sample } from "./animate";
import { at, everyKey, newId, setValue } from "./ops";
import type {
  ChromaPiece,
  Cut,
  Cuts,
  CutoutPiece,
  DifferencePiece,
  DistancePiece,
  FacePiece,
  LayerPiece,
  Matte,
  Op,
  Outline,
  Piece,
  RangePiece,
  ShapePiece,
  Shot,
} from "./types";
import { looksOf, piecesOf } from "./layers";

const constant = <T>(value: T) => ({ value, keys: [] });

const base = (name: string) => ({
  id: newId(),
  name,
  on: true,
  how: "add" as const,
  invert: false,
  span: null,
  opacity: constant(1),
  grow: constant(0),
  soften: constant(0),
});

export const newShape = (name: string, outline: Outline, closed = true): ShapePiece => ({
  ...base(name),
  kind: "shape",
  outline: constant(outline),
  closed,
  width: constant(12),
  ride: null,
  motion_blur: false,
});

/** Kinds whose other parameters the server fills in. */
export const newChroma = (layer: string) =>
  ({
    ...base("Screen"),
    kind: "chroma",
    layer,
    screen: null,
    clean_frame: null,
    clean_footage: null,
    clean_through: false,
  }) as ChromaPiece;
export const newRange = (kind: RangePiece["kind"], layer: string) =>
  ({ ...base(kind === "luma" ? "Brightness" : "Colour"), kind, layer }) as RangePiece;
export const newFacePiece = (track: string) => ({ ...base("Oval"), kind: "face", track, part: "oval" }) as FacePiece;
export const newLayerPiece = (layer: string) =>
  ({ ...base("Layer"), kind: "layer", layer, channel: "alpha" }) as LayerPiece;

export const newCutout = (layer: string): CutoutPiece => ({
  ...base("Cut-out"),
  kind: "cutout",
  layer,
  strokes: [],
  samples: null,
  fine: constant(0),
  fine_within: {},
  clean: constant(1),
});

export const newDifference = (layer: string) =>
  ({
    ...base("Difference"),
    kind: "difference",
    layer,
    clean_frame: null,
    clean_footage: null,
  }) as unknown as DifferencePiece;

export const newDistance = (track: string) =>
  ({
    ...base("Distance"),
    kind: "distance",
    track,
    near: constant(100),
    far: constant(400),
    height: constant(0),
  }) as DistancePiece;

export const newMatte = (shot: Shot, pieces: Piece[], name?: string): Matte => ({
  id: newId(),
  name: name ?? freeName(shot, "Matte"),
  pieces: Object.fromEntries(pieces.map((p) => [p.id, p])),
  order: pieces.map((p) => p.id),
  holes: constant(0),
  crumbs: constant(0),
});

function freeName(shot: Shot, stem: string): string {
  const taken = new Set(Object.values(shot.mattes).map((m) => m.name));
  let n = 1;
  while (taken.has(`${stem} ${n}`)) n += 1;
  return `${stem} ${n}`;
}

export const addMatte = (matte: Matte): Op[] => [{ op: "add", path: `/mattes/${matte.id}`, value: matte }];
export const addPiece = (matte: string, piece: Piece): Op[] => [
  { op: "add", path: `/mattes/${matte}/pieces/${piece.id}`, value: piece },
  { op: "add", path: `/mattes/${matte}/order/-`, value: piece.id },
];

export const newCut = (matte: string, side: Cut["side"] = "inside"): Cut => ({
  id: newId(),
  matte,
  side,
  grow: constant(0),
  soften: constant(0),
});

/** A cut put into the cuts that a pointer leads to. */
export const addCut = (path: string, cut: Cut): Op => ({ op: "add", path: `${path}/${cut.id}`, value: cut });

interface CutList {
  path: string;
  cuts: Cuts;
  what: string;
  of: { kind: "layer" | "matte"; id: string };
}

/** Every place where a matte cuts: the pointer of the list, the list, what is cut, and where that is found. */
function cutLists(shot: Shot): CutList[] {
  return [
    ...Object.values(shot.layers).flatMap((l): CutList[] => [
      { path: `/layers/${l.id}/cuts`, cuts: l.cuts, what: l.name, of: { kind: "layer", id: l.id } },
      ...looksOf(l).map((e): CutList => ({
        path: `/layers/${l.id}/effects/${e.id}/cuts`,
        cuts: e.cuts,
        what: `${e.kind} of ${l.name}`,
        of: { kind: "layer", id: l.id },
      })),
    ]),
    ...Object.values(shot.mattes).flatMap((m) =>
      piecesOf(m).flatMap((p): CutList[] =>
        p.kind === "cutout"
          ? [
              {
                path: `/mattes/${m.id}/pieces/${p.id}/fine_within`,
                cuts: p.fine_within,
                what: `the hair of ${m.name}`,
                of: { kind: "matte", id: m.id },
              },
            ]
          : [],
      ),
    ),
  ];
}

/** What a matte cuts. */
export const cutBy = (shot: Shot, id: string): CutList[] =>
  cutLists(shot).filter((c) => Object.values(c.cuts).some((cut) => cut.matte === id));

/** Cuts no longer cut by a matte. */
export const freeOf = (path: string, cuts: Cuts, matte: string): Op[] =>
  Object.values(cuts)
    .filter((c) => c.matte === matte)
    .map((c) => ({ op: "remove", path: `${path}/${c.id}` }));

export const outlinePath = (matte: string, piece: string) => `/mattes/${matte}/pieces/${piece}/outline`;

/** A changed outline: at the frame's key where it is keyed. */
export const setOutline = (shot: Shot, path: string, frame: number, outline: Outline): Op[] =>
  setValue(shot, path, frame, outline);

/** A change of the points themselves, made at every key, so that all keep the same number. */
export const everyOutline = (shot: Shot, path: string, change: (o: Outline) => Outline): Op[] =>
  everyKey(path, at<Outline>(shot, path), change);

export const outlineAt = (piece: ShapePiece, frame: number) => sample(piece.outline, frame);
