import { Command } from "cmdk";
import { Dialog } from "radix-ui";
import type { ReactNode } from "react";
import { useAbout } from "../api/client";
import { useBench, usePick } from "../state/bench";
import { ACTIONS, actionsOf } from "../tools/actions";
import { parametersOf } from "../document/names";
import { History } from "./History";
import { RenderForm } from "./RenderForm";

export function Dialogs() {
  const dialog = useBench((s) => s.dialog);
  const close = () => useBench.setState({ dialog: "none" });
  if (dialog === "palette")
    return (
      <Box title="Find an action" close={close} plain>
        <Palette close={close} />
      </Box>
    );
  if (dialog === "shortcuts")
    return (
      <Box title="Shortcuts" close={close} wide>
        <Shortcuts />
      </Box>
    );
  if (dialog === "history")
    return (
      <Box title="What was done" close={close}>
        <History />
      </Box>
    );
  if (dialog === "render")
    return (
      <Box title="Render this shot" close={close}>
        <RenderForm close={close} />
      </Box>
    );
  return null;
}

function Box({
  title,
  close,
  children,
  plain,
  wide,
}: {
  title: string;
  close: () => void;
  children: ReactNode;
  plain?: boolean;
  wide?: boolean;
}) {
  return (
    <Dialog.Root open onOpenChange={(o) => !o && close()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/50" />
        <Dialog.Content
          aria-describedby={undefined}
          className={`dialog ${wide ? "top-[5%] max-h-[90vh] w-[860px]" : "top-[12%] max-h-[76vh] w-[560px]"}`}
        >
          <Dialog.Title className={plain ? "sr-only" : "mb-3 text-title"}>{title}</Dialog.Title>
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

/** Finds every action, layer, track, parameter and frame. */
function Palette({ close }: { close: () => void }) {
  const { base: shot, select, seek } = usePick("base", "select", "seek");
  const about = useAbout().data;
  const run = (act: () => void) => () => {
    close();
    act();
  };
  const actions = [...ACTIONS, ...actionsOf(about)];
  const groups = [...new Set(actions.map((a) => a.group))];
  return (
    <Command
      label="Find an action"
      className="flex flex-col gap-2"
      filter={(value, search) =>
        value.toLowerCase().includes(search.toLowerCase()) || (value.startsWith("frame ") && /^\d+$/.test(search))
          ? 1
          : 0
      }
    >
      <FrameInput
        seek={(f) => {
          close();
          seek(f);
        }}
      />
      <Command.List className="max-h-[52vh] overflow-auto">
        <Command.Empty className="p-2 text-quiet">Nothing is called that.</Command.Empty>
        {groups.map((g) => (
          <Command.Group key={g} heading={<span className="px-2 text-small text-quiet">{g}</span>}>
            {actions
              .filter((a) => a.group === g)
              .map((a) => (
                <Command.Item key={a.name} value={a.name} className="menu-item" onSelect={run(a.run)}>
                  {a.name}
                  {a.keys && <kbd className="mono text-quiet">{a.keys}</kbd>}
                </Command.Item>
              ))}
          </Command.Group>
        ))}
        {shot && (
          <Command.Group heading={<span className="px-2 text-small text-quiet">In this shot</span>}>
            {Object.values(shot.layers).map((l) => (
              <Command.Item
                key={l.id}
                value={`layer ${l.name} ${l.id}`}
                className="menu-item"
                onSelect={run(() => select({ kind: "layer", id: l.id }))}
              >
                {l.name}
                <span className="text-quiet">layer</span>
              </Command.Item>
            ))}
            {Object.values(shot.tracks).map((t) => (
              <Command.Item
                key={t.id}
                value={`track ${t.name} ${t.id}`}
                className="menu-item"
                onSelect={run(() => select({ kind: "track", id: t.id }))}
              >
                {t.name}
                <span className="text-quiet">track</span>
              </Command.Item>
            ))}
            {Object.values(shot.layers).flatMap((l) =>
              parametersOf(l, about).map((p) => (
                <Command.Item
                  key={p.path}
                  value={`parameter ${l.name} ${p.title} ${p.path}`}
                  className="menu-item"
                  onSelect={run(() => select({ kind: "layer", id: l.id }))}
                >
                  {l.name}: {p.title}
                  <span className="text-quiet">parameter</span>
                </Command.Item>
              )),
            )}
          </Command.Group>
        )}
      </Command.List>
    </Command>
  );
}

function FrameInput({ seek }: { seek: (frame: number) => void }) {
  return (
    <Command.Input
      autoFocus
      className="field w-full py-2 text-large"
      placeholder="An action, a layer, a track, a parameter, or a frame number"
      onKeyDown={(e) => {
        const text = e.currentTarget.value.trim();
        if (e.key === "Enter" && /^\d+$/.test(text)) {
          e.preventDefault();
          e.stopPropagation();
          seek(Number(text));
        }
      }}
    />
  );
}

function Shortcuts() {
  const groups = [...new Set(ACTIONS.filter((a) => a.keys).map((a) => a.group))];
  return (
    <div className="columns-3 gap-8">
      {groups.map((g) => (
        <section key={g} className="mb-4 break-inside-avoid">
          <h3 className="mb-1 text-small text-quiet">{g}</h3>
          {ACTIONS.filter((a) => a.group === g && a.keys).map((a) => (
            <div key={a.name} className="flex justify-between gap-3 py-0.5">
              <span>{a.name}</span>
              <kbd className="mono shrink-0 text-quiet">
                {a.keys!.replace("ArrowRight", "→").replace("ArrowLeft", "←")}
              </kbd>
            </div>
          ))}
        </section>
      ))}
      <section className="break-inside-avoid">
        <h3 className="mb-1 text-small text-quiet">Held</h3>
        <div className="flex justify-between gap-3">
          <span>See it without the selection</span>
          <kbd className="mono text-quiet">`</kbd>
        </div>
        <div className="flex justify-between gap-3">
          <span>Drag finely</span>
          <kbd className="mono text-quiet">Shift</kbd>
        </div>
        <div className="flex justify-between gap-3">
          <span>Drag the picture</span>
          <kbd className="mono text-quiet">Alt</kbd>
        </div>
        <div className="flex justify-between gap-3">
          <span>Reorder panes, move keys</span>
          <kbd className="mono text-quiet">Alt ← →</kbd>
        </div>
      </section>
    </div>
  );
}
