import { Activity, Power, Trash2 } from "lucide-react";
import { useAbout } from "../api/client";
import { newId } from "../document/ops";
import type { Animated, Control, Mover, Op } from "../document/types";
import { useBench, usePick } from "../state/bench";
import { Menu } from "../ui/Menu";
import { Scrub } from "../ui/Scrub";
import { useLoudness } from "./loudness";

/** Offers of what can move a parameter live. */
export function MoverMenu({ parameter, path, label, control }: MoverMenuProps) {
  const commit = useBench((s) => s.commit);
  const kinds = useAbout().data?.movers ?? [];
  const bySound = useLoudness(parameter, path, control);
  const moved = (parameter.moving?.length ?? 0) > 0;
  const add = (kind: string, title: string) => {
    const id = newId();
    const mover = { kind, id, on: true };
    const ops: Op[] = parameter.movers
      ? [
          { op: "add", path: `${path}/movers/${id}`, value: mover },
          { op: "add", path: `${path}/moving/-`, value: id },
        ]
      : [
          { op: "add", path: `${path}/movers`, value: { [id]: mover } },
          { op: "add", path: `${path}/moving`, value: [id] },
        ];
    void commit(`let ${title.toLowerCase()} move ${label}`, ops);
  };
  return (
    <Menu
      icon
      className={`icon-btn tight ${moved ? "text-brass opacity-100!" : ""} opacity-0 group-hover:opacity-100 focus-visible:opacity-100`}
      label={`Let something move ${label}`}
      trigger={<Activity size={11} />}
      choices={[
        ...kinds.map((k) => ({ id: k.kind, label: k.title, hint: "plus", act: () => add(k.kind, k.title) })),
        ...bySound,
      ]}
    />
  );
}

interface MoverMenuProps {
  parameter: Animated;
  path: string;
  label: string;
  control: Control;
}

/** What moves a parameter, under its row: "plus jitter", with its settings. */
export function MoverRows({ parameter, path, label }: { parameter: Animated; path: string; label: string }) {
  return (parameter.moving ?? []).map((id) => (
    <MoverRow key={id} mover={parameter.movers![id]} path={path} moving={parameter.moving!} label={label} />
  ));
}

function MoverRow({ mover, path, moving, label }: { mover: Mover; path: string; moving: string[]; label: string }) {
  const { draft, commit } = usePick("draft", "commit");
  const info = useAbout().data?.movers.find((m) => m.kind === mover.kind);
  const here = `${path}/movers/${mover.id}`;
  const title = (info?.title ?? `unknown: ${mover.kind}`).toLowerCase();
  const remove = () =>
    void commit(`let ${title} not move ${label}`, [
      { op: "replace", path: `${path}/moving`, value: moving.filter((m) => m !== mover.id) },
      { op: "remove", path: here },
    ]);
  return (
    <div
      className={`flex flex-wrap items-center gap-x-2 pl-[30px] text-small ${mover.on ? "" : "opacity-55"}`}
      data-testid={`mover-${mover.kind}`}
    >
      <span className="text-quiet">
        plus <b className="text-ink">{title}</b>
      </span>
      {info?.params.map((c) => (
        <span key={c.name} className="flex items-center gap-1 text-quiet">
          {c.title.toLowerCase()}
          <Scrub
            label={`${c.title} of ${title}`}
            value={(mover[c.name] as number | undefined) ?? (c.default as number)}
            step={c.step}
            unit={c.unit}
            hard={c.hard}
            width={40}
            onDrag={(v) => draft([{ op: "add", path: `${here}/${c.name}`, value: v }])}
            onSet={(v) =>
              void commit(`set ${c.title.toLowerCase()} of ${title}`, [
                { op: "add", path: `${here}/${c.name}`, value: v },
              ])
            }
          />
        </span>
      ))}
      <span className="flex-1" />
      <button
        className="icon-btn h-5 min-w-4"
        aria-label={`${info?.title ?? title} on`}
        aria-pressed={mover.on}
        onClick={() =>
          void commit(`switch ${title} ${mover.on ? "off" : "on"}`, [
            { op: "replace", path: `${here}/on`, value: !mover.on },
          ])
        }
      >
        <Power size={10} className={mover.on ? "text-brass" : ""} />
      </button>
      <button className="icon-btn h-5 min-w-4" aria-label={`Remove ${title}`} onClick={remove}>
        <Trash2 size={10} />
      </button>
    </div>
  );
}
