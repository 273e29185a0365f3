import { useAbout } from "../api/client";
import { footageOf, hasPicture } from "../document/layers";
import { FACE_PARTS, HOW_WORDS, pieceTitle } from "../document/pieces";
import type { Piece } from "../document/types";
import { usePick } from "../state/bench";
import { Menu } from "../ui/Menu";
import { Rename } from "./Sentence";
import { ShapeRide } from "./ShapeRows";
import { WORD } from "./words";

export type Put = (label: string, field: string, value: unknown) => void;

/** What a piece of a matte is, in a sentence whose words can be chosen anew. */
export function PieceWords({ piece, path, put }: { piece: Piece; path: string; put: Put }) {
  const { base: shot } = usePick("base");
  const about = useAbout().data;
  if (!shot) return null;
  return (
    <p className="py-1 leading-6">
      <Rename value={piece.name} label="Name of the piece" save={(name) => put("rename", "name", name)} />, a{" "}
      {pieceTitle(about, piece.kind)},{" "}
      <Menu
        className={WORD}
        label="What it does to the pieces above it"
        trigger={HOW_WORDS[piece.how]}
        choices={(["add", "subtract", "intersect"] as const).map((how) => ({
          id: how,
          label: HOW_WORDS[how],
          checked: piece.how === how,
          act: () => put(how, "how", how),
        }))}
      />{" "}
      <button className={WORD} onClick={() => put(piece.invert ? "do not invert" : "invert", "invert", !piece.invert)}>
        {piece.invert ? "its outside" : "its inside"}
      </button>
      {"layer" in piece && (
        <>
          , of{" "}
          <Menu
            className={WORD}
            label="Which layer it looks at"
            trigger={shot.layers[piece.layer]?.name ?? "?"}
            choices={Object.values(shot.layers)
              .filter((l) => (piece.kind === "layer" ? hasPicture(l) : footageOf(l)))
              .map((l) => ({
                id: l.id,
                label: l.name,
                checked: l.id === piece.layer,
                act: () => put(`look at ${l.name} with`, "layer", l.id),
              }))}
          />
        </>
      )}
      {piece.kind === "layer" && (
        <>
          {" "}
          (its{" "}
          <button
            className={WORD}
            onClick={() => put("change the channel of", "channel", piece.channel === "alpha" ? "luminance" : "alpha")}
          >
            {piece.channel}
          </button>
          )
        </>
      )}
      {piece.kind === "face" && (
        <>
          :{" "}
          <Menu
            className={WORD}
            label="Which part of the face"
            trigger={piece.part}
            choices={FACE_PARTS.map((part) => ({
              id: part,
              label: part,
              checked: part === piece.part,
              act: () => put(`take the ${part} with`, "part", part),
            }))}
          />{" "}
          of <b>{shot.tracks[piece.track]?.name}</b>
        </>
      )}
      {piece.kind === "distance" && (
        <>
          , along the floor that <b>{shot.tracks[piece.track]?.name}</b> sees
        </>
      )}
      {piece.kind === "shape" && (
        <>
          , <ShapeRide piece={piece} path={path} />
        </>
      )}
      {piece.span && (
        <>
          , from <b className="mono">{piece.span[0]}</b> to <b className="mono">{piece.span[1]}</b>
        </>
      )}
      .
    </p>
  );
}
