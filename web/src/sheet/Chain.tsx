import { LookFile } from "./StoredFile";
import { ArrowDown, ArrowUp, ChevronDown, ChevronRight, Plus, Power, Trash2 } from "lucide-react";
import { useState } from "react";
import { useAbout } from "../api/client";
import { looksOf, meetingsOf } from "../document/layers";
import { newId } from "../document/ops";
import type { Control, Effect, EffectInfo, Layer, Meet } from "../document/types";
import { usePick } from "../state/bench";
import { useSmall } from "../picture/small";
import { PictureMenu } from "../ui/PictureMenu";
import { Tip } from "../ui/Tip";
import { BandChips } from "./BandChips";
import { CutWords } from "./CutWords";
import { GrainLike, INSTEAD, likeOf } from "./GrainLike";
import { HueStrip } from "./HueStrip";
import { ParamRow } from "./ParamRow";

const MIX: Control = {
  name: "mix",
  title: "Mix",
  help: "How much of the effect is laid in.",
  default: 1,
  widget: "number",
  unit: "",
  step: 0.01,
  soft: [0, 1],
  hard: [0, 1],
  group: "",
};

type Family = "effects" | "meets";
const ORDER = { effects: "chain", meets: "meeting" } as const;
const ADD = { effects: "Add an effect", meets: "Add a way it meets what lies beneath" } as const;

/** A layer's chain of effects, or of ways it meets what lies beneath: first done first. */
export function Chain({ layer, family }: { layer: Layer; family: Family }) {
  const { base: shot, commit } = usePick("base", "commit");
  const kinds = useAbout().data?.[family] ?? [];
  const small = useSmall(layer.id);
  const added = (info: EffectInfo, id?: string) => {
    const centred =
      info.params.some((p) => p.name === "centre") && shot
        ? { centre: { value: shot.size.map((v) => v / 2), keys: [] } }
        : {};
    return addKind(layer, family, info.kind, centred, id);
  };
  const things = family === "effects" ? looksOf(layer) : meetingsOf(layer);
  return (
    <div className="flex flex-col gap-1.5 pt-1">
      {things.map((thing, i) => (
        <Card key={thing.id} layer={layer} family={family} thing={thing} index={i} />
      ))}
      <div className="flex items-center gap-1.5">
        <PictureMenu
          className="btn flex items-center gap-1.5 self-start"
          label={ADD[family]}
          trigger={
            <>
              <Plus size={13} /> {ADD[family]}
            </>
          }
          choices={kinds.map((k) => ({
            id: k.kind,
            label: k.title,
            help: k.help,
            group: "use" in k ? (k.use as string) : "Ways to meet",
            picture: () => small?.(added(k, "shown")), // always of one address, so that it is asked for once
            act: () => void commit(`add ${k.title.toLowerCase()} to ${layer.name}`, added(k)),
          }))}
        />
        {family === "effects" && <LookFile layer={layer} />}
      </div>
    </div>
  );
}

/** One more of a kind, as it comes, at the end of a chain. */
export function addKind(
  layer: Layer,
  family: Family,
  kind: string,
  values: Record<string, unknown> = {},
  id: string = newId(),
) {
  const base = `/layers/${layer.id}`;
  return [
    {
      op: "add" as const,
      path: `${base}/${family}/${id}`,
      value: { kind, id, on: true, ...(family === "effects" ? { cuts: {} } : {}), ...values },
    },
    { op: "add" as const, path: `${base}/${ORDER[family]}/-`, value: id },
  ];
}

/** What an effect does to colours, out to other programs. */
function Written({ info, layer, effect, title }: { info: EffectInfo; layer: string; effect: string; title: string }) {
  const { id, frame } = usePick("id", "frame");
  const at = `/api/shots/${id}/layers/${layer}/effects/${effect}/look`;
  return (
    <p className="flex gap-3 py-0.5 pl-7 text-small text-quiet">
      write it as
      {[".cube", ...(info.params.some((p) => p.name === "slope") ? [".cdl"] : [])].map((extension) => (
        <a
          key={extension}
          className="underline decoration-dotted underline-offset-2 hover:text-ink"
          href={`${at}${extension}?frame=${frame}`}
          download
          aria-label={`Write ${title} as ${extension}`}
        >
          {extension}
        </a>
      ))}
    </p>
  );
}

function Card({ layer, family, thing, index }: { layer: Layer; family: Family; thing: Effect | Meet; index: number }) {
  const { commit } = usePick("commit");
  const info = useAbout().data?.[family].find((e) => e.kind === thing.kind);
  const [open, setOpen] = useState(true);
  const [tab, setTab] = useState(0);
  const base = `/layers/${layer.id}`;
  const path = `${base}/${family}/${thing.id}`;
  const order = layer[ORDER[family]];
  const others = order.filter((id) => id !== thing.id);
  const name = info?.title ?? `Unknown: ${thing.kind}`;
  const title = name.toLowerCase();
  const move = (to: number) =>
    void commit(`move ${title} of ${layer.name}`, [
      {
        op: "replace",
        path: `${base}/${ORDER[family]}`,
        value: [...others.slice(0, to), thing.id, ...others.slice(to)],
      },
    ]);
  const remove = () =>
    void commit(`remove ${title} from ${layer.name}`, [
      { op: "remove", path },
      { op: "replace", path: `${base}/${ORDER[family]}`, value: others },
    ]);
  const curves = info?.params.filter((p) => p.widget === "curve") ?? [];
  const chips = (info?.params.filter((p) => p.widget === "chip") ?? []) as Control[];
  const hues = (info?.params.filter((p) => p.widget === "hue") ?? []) as Control[];
  const drawn = ["curve", "chip", "hue"];
  const like = likeOf(thing);
  const rest = info?.params.filter((p) => !drawn.includes(p.widget) && !(like && INSTEAD.includes(p.name))) ?? [];
  const sheet = { path, owner: `${title} of ${layer.name}`, layer: layer.id, effect: thing.id };
  return (
    <div className={`rounded-md border border-line bg-[#282828] px-2 pb-1 ${thing.on ? "" : "opacity-55"}`}>
      <div className="flex h-8 items-center gap-0.5">
        <button
          className="flex min-w-0 flex-1 items-center gap-1 text-left font-medium"
          aria-expanded={open}
          onClick={() => setOpen(!open)}
        >
          {open ? <ChevronDown size={12} /> : <ChevronRight size={12} />}
          <span className="truncate">{name}</span>
        </button>
        <Tip text={thing.on ? "Switch off" : "Switch on"}>
          <button
            className="icon-btn"
            aria-label={`${name} on`}
            aria-pressed={thing.on}
            onClick={() =>
              void commit(`switch ${title} of ${layer.name} ${thing.on ? "off" : "on"}`, [
                { op: "replace", path: `${path}/on`, value: !thing.on },
              ])
            }
          >
            <Power size={12} className={thing.on ? "text-brass" : ""} />
          </button>
        </Tip>
        <button
          className="icon-btn"
          aria-label={`Move ${name} up`}
          disabled={index === 0}
          onClick={() => move(index - 1)}
        >
          <ArrowUp size={12} />
        </button>
        <button
          className="icon-btn"
          aria-label={`Move ${name} down`}
          disabled={index === order.length - 1}
          onClick={() => move(index + 1)}
        >
          <ArrowDown size={12} />
        </button>
        <button className="icon-btn" aria-label={`Remove ${name}`} onClick={remove}>
          <Trash2 size={12} />
        </button>
      </div>
      {open && info && "use" in info && info.use === "Colour" && (
        <Written info={info} layer={layer.id} effect={thing.id} title={title} />
      )}
      {open && !info && (
        <p className="pb-1 text-quiet">
          This installation does not know the kind. It is kept as it is, and does nothing.
        </p>
      )}
      {open && info && (
        <div>
          {curves.length > 0 && (
            <>
              <div className="flex gap-1" role="tablist" aria-label="Which curve">
                {curves.map((c, i) => (
                  <button
                    key={c.name}
                    role="tab"
                    aria-selected={tab === i}
                    className={`rounded px-2 py-0.5 ${tab === i ? "bg-[#45423b]" : "text-quiet"}`}
                    onClick={() => setTab(i)}
                  >
                    {c.title}
                  </button>
                ))}
              </div>
              <ParamRow
                control={curves[tab] as Control}
                path={`${path}/${curves[tab].name}`}
                owner={`${title} of ${layer.name}`}
              />
            </>
          )}
          {chips.length > 0 && <BandChips {...sheet} controls={chips} />}
          {hues.length > 0 && <HueStrip {...sheet} controls={hues} />}
          {chips.length + hues.length > 0 && (
            <details className="pb-1">
              <summary className="cursor-pointer py-0.5 text-small text-quiet">in numbers, with keys</summary>
              {[...chips, ...hues].map((c) => (
                <ParamRow key={c.name} control={c} path={`${path}/${c.name}`} owner={sheet.owner} />
              ))}
            </details>
          )}
          {family === "effects" && (
            <p className="py-0.5 pl-7 text-small">
              <CutWords
                cuts={(thing as Effect).cuts}
                path={`${path}/cuts`}
                owner={`${title} of ${layer.name}`}
                verb="works only within"
              />
            </p>
          )}
          {like && <GrainLike like={like} path={path} owner={sheet.owner} />}
          {[...rest, ...(family === "effects" ? [MIX] : [])].map((c) => (
            <ParamRow
              key={c.name}
              control={c as Control}
              path={`${path}/${c.name}`}
              owner={`${title} of ${layer.name}`}
              ride={c.name === "centre" ? { path: `${path}/ride`, whole: true } : undefined}
            />
          ))}
        </div>
      )}
    </div>
  );
}
