import { ArrowDown, ArrowUp, ChevronDown, ChevronRight, Plus, Power, Trash2 } from "lucide-react";
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
  outlinePath,
} from "../document/mattes";
import { newId, toggleKey } from "../document/ops";
import { FACE_SPOTS } from "../document/marks";
import { rideAt } from "../stack/drops";
import type { Control, Layer, Matte, Op, Piece, ShapePiece } from "../document/types";
import { SHAPE_TOOLS, useBench, usePick } from "../state/bench";
import { Menu } from "../ui/Menu";
import { Tip } from "../ui/Tip";
import { CutWords } from "./CutWords";
import { CutoutSection } from "./CutoutSection";
import { EmptyPlace } from "./EmptyPlace";
import { FaultRows } from "./FaultRows";
import { HideCheck } from "./HideCheck";
import { NameWords } from "./NameWords";
import { ParamRow } from "./ParamRow";
import { KeyPip } from "../time/Pip";
import { FACE_PARTS, HOW_WORDS, pieceTitle, piecesIn } from "../document/pieces";
import { PartsMenu } from "./RideWords";
import { Rename } from "./Sentence";
import { ScreenRow } from "./ScreenRow";
import { Section } from "./Section";
import { convertPoints } from "../tools/shaping";
import { WORD } from "./words";
import { footageOf, hasPicture, piecesOf } from "../document/layers";

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

function PieceCard({ matte, piece, index }: { matte: Matte; piece: Piece; index: number }) {
  const { base: shot, commit, piece: chosen, set } = usePick("base", "commit", "piece", "set");
  const about = useAbout().data;
  const info = about?.pieces.find((p) => p.kind === piece.kind);
  if (!shot || !info) return null;
  const open = piece.id === chosen;
  const base = `/mattes/${matte.id}/pieces`;
  const path = `${base}/${piece.id}`;
  const others = matte.order.filter((id) => id !== piece.id);
  const put = (label: string, field: string, value: unknown) =>
    void commit(`${label} ${piece.name}`, [{ op: "replace", path: `${path}/${field}`, value }]);
  const move = (to: number) =>
    void commit(`move ${piece.name} in ${matte.name}`, [
      {
        op: "replace",
        path: `/mattes/${matte.id}/order`,
        value: [...others.slice(0, to), piece.id, ...others.slice(to)],
      },
    ]);
  const hidden = piece.kind === "shape" && piece.closed ? ["width"] : [];
  return (
    <div
      className={`rounded-md border bg-[#282828] px-2 pb-1 ${open ? "border-matte/70" : "border-line"} ${piece.on ? "" : "opacity-55"}`}
      data-testid={`piece-${index}`}
    >
      <div className="flex h-8 items-center gap-0.5">
        <button
          className="flex min-w-0 flex-1 items-center gap-1 text-left font-medium"
          aria-expanded={open}
          onClick={() => set({ piece: open ? null : piece.id, points: [] })}
        >
          {open ? <ChevronDown size={12} /> : <ChevronRight size={12} />}
          <span className="truncate">{piece.name}</span>
        </button>
        <Tip text={piece.on ? "Switch off" : "Switch on"}>
          <button
            className="icon-btn"
            aria-label={`${piece.name} on`}
            aria-pressed={piece.on}
            onClick={() => put(piece.on ? "switch off" : "switch on", "on", !piece.on)}
          >
            <Power size={12} className={piece.on ? "text-brass" : ""} />
          </button>
        </Tip>
        <button
          className="icon-btn"
          aria-label={`Move ${piece.name} up`}
          disabled={index === 0}
          onClick={() => move(index - 1)}
        >
          <ArrowUp size={12} />
        </button>
        <button
          className="icon-btn"
          aria-label={`Move ${piece.name} down`}
          disabled={index === matte.order.length - 1}
          onClick={() => move(index + 1)}
        >
          <ArrowDown size={12} />
        </button>
        <button
          className="icon-btn"
          aria-label={`Remove ${piece.name}`}
          onClick={() =>
            void commit(`remove ${piece.name} from ${matte.name}`, [
              { op: "remove", path },
              { op: "replace", path: `/mattes/${matte.id}/order`, value: others },
            ])
          }
        >
          <Trash2 size={12} />
        </button>
      </div>
      {open && (
        <div className="pb-1">
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
            <button
              className={WORD}
              onClick={() => put(piece.invert ? "do not invert" : "invert", "invert", !piece.invert)}
            >
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
                  onClick={() =>
                    put("change the channel of", "channel", piece.channel === "alpha" ? "luminance" : "alpha")
                  }
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
          {piece.kind === "chroma" && <ScreenRow matte={matte.id} piece={piece} put={put} />}
          {(piece.kind === "chroma" || piece.kind === "difference") && <EmptyPlace piece={piece} path={path} />}
          {piece.kind === "cutout" && <CutoutSection matte={matte.id} piece={piece} path={path} />}
          {piece.kind === "shape" && <OutlineRow piece={piece} path={outlinePath(matte.id, piece.id)} />}
          {info.params
            .filter((p) => !hidden.includes(p.name))
            .map((c) => (
              <ParamRow
                key={c.name}
                control={c as Control}
                path={`${path}/${c.name}`}
                owner={`${piece.name} of ${matte.name}`}
              />
            ))}
          {piece.kind === "cutout" &&
            (Object.keys(piece.fine_within).length > 0 || piece.fine.value > 0 || piece.fine.keys.length > 0) && (
              <p className="py-0.5 pl-7 text-small">
                <CutWords
                  cuts={piece.fine_within}
                  path={`${path}/fine_within`}
                  owner={`the hair of ${piece.name}`}
                  verb="hair reaches only within"
                />
              </p>
            )}
          {piece.kind === "shape" && (
            <label className="flex items-center gap-2 py-1">
              <input
                type="checkbox"
                checked={piece.motion_blur}
                onChange={() => put("change the motion blur of", "motion_blur", !piece.motion_blur)}
              />{" "}
              Motion blur
            </label>
          )}
          <div className="flex gap-1.5 py-1">
            <button
              className="btn py-0.5"
              onClick={() =>
                put("let live from here", "span", [
                  useBench.getState().frame,
                  Math.max(piece.span?.[1] ?? shot.frames - 1, useBench.getState().frame),
                ])
              }
            >
              from here
            </button>
            <button
              className="btn py-0.5"
              onClick={() =>
                put("let live up to here", "span", [
                  Math.min(piece.span?.[0] ?? 0, useBench.getState().frame),
                  useBench.getState().frame,
                ])
              }
            >
              up to here
            </button>
            {piece.span && (
              <button className="btn py-0.5" onClick={() => put("let live throughout", "span", null)}>
                throughout
              </button>
            )}
            <button
              className="btn ml-auto py-0.5"
              onClick={() => void commit(`copy ${piece.name}`, copyPiece(matte, piece))}
            >
              copy
            </button>
          </div>
        </div>
      )}
    </div>
  );
}

const copyPiece = (matte: Matte, piece: Piece): Op[] => {
  const copy = { ...piece, id: newId(), name: `${piece.name} copy` };
  return [
    { op: "add", path: `/mattes/${matte.id}/pieces/${copy.id}`, value: copy },
    { op: "add", path: `/mattes/${matte.id}/order/${matte.order.indexOf(piece.id) + 1}`, value: copy.id },
  ];
};

/** The outline itself can be keyed; its points are changed in the picture. */
function OutlineRow({ piece, path }: { piece: ShapePiece; path: string }) {
  const { base: shot, frame, commit, points } = usePick("base", "frame", "commit", "points");
  if (!shot) return null;
  const here = piece.outline.keys.some((k) => k.frame === frame);
  const keyed = piece.outline.keys.length > 0;
  return (
    <div className="flex min-h-7 items-center gap-1.5">
      <Tip text={here ? "Remove the key here" : keyed ? "Add a key here" : "Key this from here on"}>
        <button
          className="icon-btn min-w-5"
          aria-pressed={here}
          aria-label="Key Outline"
          onClick={() =>
            void commit(
              here ? `remove a key of the outline of ${piece.name}` : `key the outline of ${piece.name}`,
              toggleKey(shot, path, frame),
            )
          }
        >
          <KeyPip parameter={piece.outline} frame={frame} />
        </button>
      </Tip>
      <span className={`flex-1 truncate ${keyed ? "text-brass" : ""}`}>
        Outline{" "}
        <span className="text-quiet">
          of {piece.outline.value.points.length} points{points.length ? `, ${points.length} chosen` : ""}
        </span>
      </span>
      <Tip text="Make the chosen points round or sharp; with none chosen, all of them round">
        <button className="btn py-0.5" onClick={() => convertPoints(points)}>
          round
        </button>
      </Tip>
    </div>
  );
}

function ShapeRide({ piece, path }: { piece: ShapePiece; path: string }) {
  const { base: shot, commit } = usePick("base", "commit");
  if (!shot) return null;
  const tracks = Object.values(shot.tracks);
  const tie = (id: string | null) => void rideAt(`${path}/ride`, id);
  return (
    <>
      {piece.ride ? "rides on " : ""}
      <Menu
        className={piece.ride ? `${WORD} decoration-track!` : WORD}
        label="What the shape rides on"
        trigger={piece.ride ? (shot.tracks[piece.ride.track]?.name ?? "?") : "rides on nothing"}
        choices={[
          ...tracks.map((t) => ({
            id: t.id,
            label: t.name,
            hint: t.samples ? t.kind : "not tracked",
            checked: piece.ride?.track === t.id,
            act: () => tie(t.id),
          })),
          { id: "none", label: "nothing", checked: !piece.ride, act: () => tie(null) },
        ]}
      />
      {piece.ride && shot.tracks[piece.ride.track]?.kind === "face" && (
        <>
          , at its{" "}
          <Menu
            className={WORD}
            label="What of the face the shape rides on"
            trigger={piece.ride.spot || "head"}
            choices={FACE_SPOTS.map((s) => ({
              id: s,
              label: s,
              checked: s === piece.ride!.spot,
              act: () =>
                void commit(`change the spot of ${piece.name}`, [
                  { op: "replace", path: `${path}/ride/spot`, value: s },
                ]),
            }))}
          />
        </>
      )}
      {piece.ride && (
        <>
          {" "}
          (
          <PartsMenu
            ride={piece.ride}
            plane={shot.tracks[piece.ride.track]?.kind === "plane"}
            set={(parts) =>
              void commit(`change what ${piece.name} follows`, [
                { op: "replace", path: `${path}/ride/parts`, value: parts },
              ])
            }
          />
          , from <b className="mono">{piece.ride.reference_frame}</b>)
        </>
      )}
    </>
  );
}
