/** Words for the pieces of mattes. */
import type { Matte, Piece } from "../document/types";

export const PIECE_TITLES: Record<Piece["kind"], string> = { shape: "Shape", chroma: "Chroma key", luma: "Luma key", colour: "Colour range", face: "Part of a face", layer: "Layer", cutout: "Cut-out", difference: "Difference key", distance: "Distance" };
export const HOW_WORDS = { add: "adds", subtract: "takes away", intersect: "keeps only" } as const;
export const FACE_PARTS = ["oval", "skin", "eyes", "left eye", "right eye", "irises", "left iris", "right iris", "lips", "mouth opening", "left brow", "right brow"];

/** How many pieces, in words. */
export const piecesIn = (matte: Matte): string => {
  const n = matte.order.length;
  return n === 1 ? "one piece" : `${["no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine"][n] ?? n} pieces`;
};
