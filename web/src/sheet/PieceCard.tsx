import { ArrowDown, ArrowUp, ChevronDown, ChevronRight, Power, Trash2 } from "lucide-react";
import { useAbout } from "../api/client";
import { outlinePath } from "../document/mattes";
import { newId } from "../document/ops";
import type { Control, Matte, Op, Piece } from "../document/types";
import { useBench, usePick } from "../state/bench";
import { Tip } from "../ui/Tip";
import { CutWords } from "./CutWords";
import { CutoutSection } from "./CutoutSection";
import { EmptyPlace } from "./EmptyPlace";
import { ParamRow } from "./ParamRow";
import { PieceWords, type Put } from "./PieceWords";
import { ScreenRow } from "./ScreenRow";
import { OutlineRow } from "./ShapeRows";

/** A piece of a matte: what it does, its values, its span. */
export function PieceCard({ matte, piece, index }: { matte: Matte; piece: Piece; index: number }) {
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
          <PieceWords piece={piece} path={path} put={put} />
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
          <PieceFoot matte={matte} piece={piece} put={put} />
        </div>
      )}
    </div>
  );
}

/** From when to when it lives, and another of it. */
function PieceFoot({ matte, piece, put }: { matte: Matte; piece: Piece; put: Put }) {
  const { base: shot, commit } = usePick("base", "commit");
  if (!shot) return null;
  return (
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
      <button className="btn ml-auto py-0.5" onClick={() => void commit(`copy ${piece.name}`, copyPiece(matte, piece))}>
        copy
      </button>
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
