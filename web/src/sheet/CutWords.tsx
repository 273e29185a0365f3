import { Popover } from "radix-ui";
import { useAbout } from "../api/client";
import { addCut, newCut } from "../document/mattes";
import type { Control, Cut, Cuts } from "../document/types";
import { usePick } from "../state/bench";
import { Menu } from "../ui/Menu";
import { Popped } from "../ui/Popped";
import { ParamRow } from "./ParamRow";
import { cutByFace, cutByRange, keyScreen } from "../tools/shaping";
import { OFFER, WORD } from "./words";

/** What something is cut by. `path` is the pointer of its list of cuts; `layer` is given where it is a whole layer. */
export function CutWords({
  cuts,
  path,
  owner,
  layer,
  verb = "is cut by",
  after = "",
}: {
  cuts: Cuts;
  path: string;
  owner: string;
  layer?: { id: string; footage: boolean };
  verb?: string;
  after?: string;
}) {
  const { base: shot, commit, set } = usePick("base", "commit", "set");
  if (!shot) return null;
  const all = Object.values(cuts);
  const unused = Object.values(shot.mattes).filter(
    (m) => !all.some((c) => c.matte === m.id) && !path.startsWith(`/mattes/${m.id}/`),
  );
  const cut = (id: string) => void commit(`cut ${owner} by ${shot.mattes[id].name}`, [addCut(path, newCut(id))]);
  const draw = (tool: "outline" | "ellipse") => set({ tool, cutFor: path, drawn: [] });
  const looked = [...new Set([...(layer?.footage ? [layer.id] : []), ...(shot.plate ? [shot.plate] : [])])];
  const choices = [
    ...unused.map((m) => ({ id: m.id, label: m.name, act: () => cut(m.id) })),
    { id: "outline", label: "a new outline", hint: "draw it", act: () => draw("outline") },
    { id: "ellipse", label: "a new ellipse", hint: "draw it", act: () => draw("ellipse") },
    ...(layer
      ? Object.values(shot.tracks)
          .filter((t) => t.kind === "face")
          .map((t) => ({
            id: `face ${t.id}`,
            label: `the face of ${t.name}`,
            hint: "its oval",
            act: () => void cutByFace(layer.id, t),
          }))
      : []),
    ...(layer ? looked : []).flatMap((id) => {
      const where = id === layer!.id ? "it" : "the plate";
      return [
        {
          id: `bright ${id}`,
          label: `what is bright in ${where}`,
          hint: "luma key",
          act: () => void cutByRange(layer!.id, "luma", id),
        },
        {
          id: `colour ${id}`,
          label: `a colour in ${where}`,
          hint: "colour range",
          act: () => void cutByRange(layer!.id, "colour", id),
        },
      ];
    }),
    ...(layer?.footage
      ? [{ id: "screen", label: "the screen behind it", hint: "chroma key", act: () => void keyScreen(layer.id) }]
      : []),
  ];
  return (
    <>
      {all.length ? `${verb} ` : ""}
      {all.map((c, i) => (
        <span key={c.id}>
          {i > 0 && " and "}
          <OneCut cut={c} path={path} owner={owner} />
        </span>
      ))}
      {all.length ? " " : ""}
      <span className={after && "whitespace-nowrap"}>
        <Menu
          className={all.length ? `${OFFER} text-small` : OFFER}
          label={`What cuts ${owner}`}
          trigger={all.length ? "and…" : `${verb} nothing yet`}
          choices={choices}
        />
        {after}
      </span>
    </>
  );
}

function OneCut({ cut, path, owner }: { cut: Cut; path: string; owner: string }) {
  const { base: shot, commit, select } = usePick("base", "commit", "select");
  const controls = useAbout().data?.cut ?? [];
  if (!shot) return null;
  const name = shot.mattes[cut.matte]?.name ?? "?";
  const here = `${path}/${cut.id}`;
  const side = (to: Cut["side"]) =>
    void commit(`keep what is ${to} ${name}`, [{ op: "replace", path: `${here}/side`, value: to }]);
  return (
    <span>
      <Popover.Root>
        <Popover.Trigger
          className={`${WORD} text-left wrap-anywhere decoration-matte!`}
          title="The matte, and how its edge is used here"
        >
          {name}
        </Popover.Trigger>
        <Popped className="w-72">
          {controls.map((c) => (
            <ParamRow key={c.name} control={c as Control} path={`${here}/${c.name}`} owner={`${name} on ${owner}`} />
          ))}
          <div className="mt-2 flex gap-2">
            <Popover.Close asChild>
              <button className="btn" onClick={() => select({ kind: "matte", id: cut.matte })}>
                open the matte
              </button>
            </Popover.Close>
            <Popover.Close asChild>
              <button
                className="btn"
                onClick={() => void commit(`let ${name} not cut ${owner}`, [{ op: "remove", path: here }])}
              >
                do not cut
              </button>
            </Popover.Close>
          </div>
        </Popped>
      </Popover.Root>{" "}
      <span className="whitespace-nowrap">
        (
        <Menu
          className={WORD}
          label="Which side stays"
          trigger={cut.side}
          choices={(["inside", "outside"] as const).map((s) => ({
            id: s,
            label: `keep what is ${s}`,
            checked: cut.side === s,
            act: () => side(s),
          }))}
        />
        )
      </span>
    </span>
  );
}
