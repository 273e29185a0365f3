import { ArrowDown, ArrowUp, ChevronDown, ChevronRight, Plus, Power, Trash2 } from "lucide-react";
import { useState } from "react";
import { useAbout } from "../api/client";
import { newId } from "../document/ops";
import type { Control, EffectInfo, Layer } from "../document/types";
import { useBench } from "../state/bench";
import { Menu } from "../ui/Menu";
import { Tip } from "../ui/Tip";
import { CutWords } from "./CutWords";
import { ParamRow } from "./ParamRow";

const MIX: Control = { name: "mix", title: "Mix", help: "How much of the effect is laid in.", default: 1, widget: "number", unit: "", step: 0.01, soft: [0, 1], hard: [0, 1] };

/** The layer's chain of effects, first done first. */
export function Effects({ layer }: { layer: Layer }) {
  const { shot, commit } = useBench();
  const kinds = useAbout().data?.effects ?? [];
  const path = `/layers/${layer.id}/effects`;
  const add = (info: EffectInfo) => {
    const centred = info.params.some((p) => p.name === "centre") && shot ? { centre: { value: shot.size.map((v) => v / 2), keys: [] } } : {};
    void commit(`add ${info.title.toLowerCase()} to ${layer.name}`, [{ op: "add", path: `${path}/-`, value: { kind: info.kind, id: newId(), cut: [], ...centred } }]);
  };
  return (
    <div className="flex flex-col gap-1.5 pt-1">
      {layer.effects.map((_, i) => <EffectCard key={layer.effects[i].id} layer={layer} index={i} />)}
      <Menu
        className="btn flex items-center gap-1.5 self-start" label="Add an effect" trigger={<><Plus size={13} /> Add an effect</>}
        choices={kinds.map((k) => ({ id: k.kind, label: k.title, act: () => add(k) }))}
      />
    </div>
  );
}

function EffectCard({ layer, index }: { layer: Layer; index: number }) {
  const { commit } = useBench();
  const effect = layer.effects[index];
  const info = useAbout().data?.effects.find((e) => e.kind === effect.kind);
  const [open, setOpen] = useState(true);
  const [tab, setTab] = useState(0);
  if (!info) return null;
  const base = `/layers/${layer.id}/effects`;
  const path = `${base}/${index}`;
  const title = info.title.toLowerCase();
  const move = (to: number) => void commit(`move ${title} of ${layer.name}`, [{ op: "remove", path }, { op: "add", path: `${base}/${to}`, value: effect }]);
  const curves = info.params.filter((p) => p.widget === "curve");
  const rest = info.params.filter((p) => p.widget !== "curve");
  return (
    <div className={`rounded-md border border-line bg-[#282828] px-2 pb-1 ${effect.on ? "" : "opacity-55"}`}>
      <div className="flex h-8 items-center gap-0.5">
        <button className="flex flex-1 items-center gap-1 text-left font-medium" aria-expanded={open} onClick={() => setOpen(!open)}>
          {open ? <ChevronDown size={12} /> : <ChevronRight size={12} />}{info.title}
        </button>
        <Tip text={effect.on ? "Switch off" : "Switch on"}><button className="icon-btn" aria-label={`${info.title} on`} aria-pressed={effect.on} onClick={() => void commit(`switch ${title} of ${layer.name} ${effect.on ? "off" : "on"}`, [{ op: "replace", path: `${path}/on`, value: !effect.on }])}><Power size={12} className={effect.on ? "text-brass" : ""} /></button></Tip>
        <button className="icon-btn" aria-label={`Move ${info.title} up`} disabled={index === 0} onClick={() => move(index - 1)}><ArrowUp size={12} /></button>
        <button className="icon-btn" aria-label={`Move ${info.title} down`} disabled={index === layer.effects.length - 1} onClick={() => move(index + 1)}><ArrowDown size={12} /></button>
        <button className="icon-btn" aria-label={`Remove ${info.title}`} onClick={() => void commit(`remove ${title} from ${layer.name}`, [{ op: "remove", path }])}><Trash2 size={12} /></button>
      </div>
      {open && (
        <div>
          {curves.length > 0 && (
            <>
              <div className="flex gap-1" role="tablist" aria-label="Which curve">
                {curves.map((c, i) => <button key={c.name} role="tab" aria-selected={tab === i} className={`rounded px-2 py-0.5 ${tab === i ? "bg-[#45423b]" : "text-quiet"}`} onClick={() => setTab(i)}>{c.title}</button>)}
              </div>
              <ParamRow control={curves[tab] as Control} path={`${path}/${curves[tab].name}`} owner={`${title} of ${layer.name}`} />
            </>
          )}
          <p className="py-0.5 pl-7 text-small"><CutWords cuts={effect.cut} path={`${path}/cut`} owner={`${title} of ${layer.name}`} verb="works only within" /></p>
          {[...rest, MIX].map((c) => <ParamRow key={c.name} control={c as Control} path={`${path}/${c.name}`} owner={`${title} of ${layer.name}`} ride={c.name === "centre" ? { path: `${path}/ride`, whole: true } : undefined} />)}
        </div>
      )}
    </div>
  );
}
