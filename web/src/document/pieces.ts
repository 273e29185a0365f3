/** Words for the pieces of mattes. */
import type { About, Matte, Piece } from "./types";

/** What a kind of piece is called, in small letters. */
export const pieceTitle = (about: About | undefined, kind: Piece["kind"]): string =>
  (about?.pieces.find((p) => p.kind === kind)?.title ?? kind).toLowerCase();
export const HOW_WORDS = { add: "adds", subtract: "takes away", intersect: "keeps only" } as const;
export const FACE_PARTS = [
  "oval",
  "skin",
  "eyes",
  "left eye",
  "right eye",
  "irises",
  "left iris",
  "right iris",
  "lips",
  "mouth opening",
  "left brow",
  "right brow",
];

/** How many pieces, in words. */
export const piecesIn = (matte: Matte): string => {
  const n = matte.order.length;
  return n === 1
    ? "one piece"
    : `${["no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine"][n] ?? n} pieces`;
};
