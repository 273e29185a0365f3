import { Plus } from "lucide-react";
import { useAbout } from "../api/client";
import {
  addPiece,
  cutBy,
  newChroma,
  newCutout,
  newDifference,
  newDistance,
  newFacePiece,
  newLayerPiece,
  newRange,
} from "../document/mattes";
import type { Layer, Matte, Piece } from "../document/types";
import { SHAPE_TOOLS, useBench, usePick } from "../state/bench";
import { Menu } from "../ui/Menu";
import { FaultRows } from "./FaultRows";
import { HideCheck } from "./HideCheck";
import { NameWords } from "./NameWords";
import { pieceTitle, piecesIn } from "../document/pieces";
import { Rename } from "./Sentence";
import { Section } from "./Section";
import { footageOf, hasPicture, piecesOf } from "../document/layers";

import { PieceCard } from "./PieceCard";

/** A matte: what it is made of, and what it cuts. */
export function MatteSheet({ matte }: { matte: Matte }) {
  const { base: shot, commit, set } = usePick("base", "commit", "set");
  const about = useAbout().data;
  if (!shot) return null;
  const path = `/mattes/${matte.id}`;
  const cuts = cutBy(shot, matte.id);
  const all = Object.values(shot.layers).filter((l) => hasPicture(l));
  const footage = all.filter((l) => footageOf(l));
  const isCut = (l: Layer) => Object.values(l.cuts).some((c) => c.matte === matte.id);
  const faces = Object.values(shot.tracks).filter((t) => t.kind === "face");
  const add = (piece: Piece) =>
    void commit(`add ${pieceTitle(about, piece.kind)} to ${matte.name}`, addPiece(matte.id, piece)).then(() =>
      set({ piece: piece.id, points: [] }),
    );
  const looking = footage.find(isCut) ?? footage.at(-1);
  const choices = [
    ...SHAPE_TOOLS.map((tool) => ({
      id: tool,
      label: tool === "freehand" ? "shape drawn by hand" : tool,
      hint: { outline: "M", rectangle: "⇧M", ellipse: "E", freehand: "⇧E", stroke: "B" }[tool],
      act: () => set({ tool, drawn: [] }),
    })),
    ...(looking
      ? [
          { id: "cutout", label: "cut-out by strokes", hint: looking.name, act: () => add(newCutout(looking.id)) },
          { id: "chroma", label: "chroma key", hint: looking.name, act: () => add(newChroma(looking.id)) },
          {
            id: "difference",
            label: "difference from an empty frame",
            hint: looking.name,
            act: () => add(newDifference(looking.id)),
          },
          { id: "luma", label: "luma key", hint: looking.name, act: () => add(newRange("luma", looking.id)) },
          { id: "colour", label: "colour range", hint: looking.name, act: () => add(newRange("colour", looking.id)) },
        ]
      : []),
    ...faces.map((t) => ({
      id: `face ${t.id}`,
      label: "part of a face",
      hint: t.name,
      act: () => add(newFacePiece(t.id)),
    })),
    ...Object.values(shot.tracks)
      .filter((t) => t.kind === "camera" && t.samples)
      .map((t) => ({
        id: `distance ${t.id}`,
        label: "distance along the floor",
        hint: t.name,
        act: () => add(newDistance(t.id)),
      })),
    ...all
      .filter((l) => !isCut(l))
      .map((l) => ({
        id: `layer ${l.id}`,
        label: "alpha of a layer",
        hint: l.name,
        act: () => add(newLayerPiece(l.id)),
      })),
  ];
  return (
    <>
      <p className="text-[15px] leading-7" data-testid="sentence">
        <Rename
          value={matte.name}
          label="Name of the matte"
          save={(name) => void commit(`rename ${matte.name}`, [{ op: "replace", path: `${path}/name`, value: name }])}
        />
        , a matte of {matte.order.length ? <b>{piecesIn(matte)}</b> : <i className="text-quiet">no pieces yet</i>}, cuts{" "}
        {cuts.length ? <NameWords of={cuts} /> : <i className="text-quiet">nothing yet</i>}.
      </p>
      {!cuts.length && (
        <p className="text-quiet">Drag it from the Mattes drawer onto a pane, or choose it in a layer's sentence.</p>
      )}
      <Section title="Pieces" note={matte.order.length > 1 ? "first to last" : undefined}>
        <div className="flex flex-col gap-1.5 pt-1">
          {piecesOf(matte).map((piece, i) => (
            <PieceCard key={piece.id} matte={matte} piece={piece} index={i} />
          ))}
          {!matte.order.length && (
            <p className="text-quiet">Without pieces it cuts nothing. Draw a shape, or key a screen.</p>
          )}
          <Menu
            className="btn flex items-center gap-1.5 self-start"
            label="Add a piece"
            trigger={
              <>
                <Plus size={13} /> Add a piece
              </>
            }
            choices={choices}
          />
        </div>
      </Section>
      {matte.order.length > 0 && <FaultRows matte={matte} />}
      {faces.length > 0 && matte.order.length > 0 && <HideCheck matte={matte} faces={faces} />}
      <div className="flex-1" />
      <button
        className="btn mt-4 self-start"
        onClick={() => void useBench.getState().give("remove-mattes", { mattes: [matte.id] })}
      >
        Remove this matte
      </button>
    </>
  );
}
