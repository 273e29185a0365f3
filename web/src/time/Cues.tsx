import { useState } from "react";
import { newId } from "../document/ops";
import { useBench, usePick } from "../state/bench";
import { Menu } from "../ui/Menu";

/** Name the present moment: a cue on the film strip, whose name is typed at once. */
export function addCue(): void {
  const { shot, frame, commit, set, say } = useBench.getState();
  if (!shot) return;
  const here = Object.values(shot.cues).find((c) => c.frame === frame);
  if (here) {
    say(`This frame is named ${here.name} already; click the name to change it.`, "info");
    return;
  }
  const id = newId();
  void commit("add a cue", [
    { op: "add", path: `/cues/${id}`, value: { id, frame, name: `Cue ${Object.keys(shot.cues).length + 1}` } },
  ]);
  set({ naming: id });
}

/** Named moments over the film strip. */
export function Cues() {
  const { base: shot, frame, naming, seek, commit, set } = usePick("base", "frame", "naming", "seek", "commit", "set");
  if (!shot) return null;
  return Object.values(shot.cues).map((c) => {
    const path = `/cues/${c.id}`;
    return (
      <span
        key={c.id}
        className="absolute top-0 border-l border-dashed border-ink/70 bg-black/60 text-small"
        style={{ left: `${((c.frame + 0.5) / shot.frames) * 100}%` }}
        onPointerDown={(e) => e.stopPropagation()}
      >
        {naming === c.id ? (
          <Naming
            name={c.name}
            done={(name) => {
              set({ naming: null });
              if (name && name !== c.name)
                void commit(`name the cue ${name}`, [{ op: "replace", path: `${path}/name`, value: name }]);
            }}
          />
        ) : (
          <Menu
            className="px-1 whitespace-nowrap hover:text-brass"
            label={`Cue ${c.name}, frame ${c.frame}`}
            trigger={c.name}
            choices={[
              { id: "go", label: "go there", hint: String(c.frame), act: () => seek(c.frame) },
              { id: "name", label: "name it anew", act: () => set({ naming: c.id }) },
              {
                id: "here",
                label: `move it here (${frame})`,
                off: frame === c.frame,
                act: () =>
                  void commit(`move the cue ${c.name}`, [{ op: "replace", path: `${path}/frame`, value: frame }]),
              },
              {
                id: "remove",
                label: "remove it",
                act: () => void commit(`remove the cue ${c.name}`, [{ op: "remove", path }]),
              },
            ]}
          />
        )}
      </span>
    );
  });
}

function Naming({ name, done }: { name: string; done: (name: string) => void }) {
  const [typed, setTyped] = useState(name);
  return (
    <input
      autoFocus
      aria-label="Name of the cue"
      className="field w-28 py-0"
      value={typed}
      maxLength={120}
      onChange={(e) => setTyped(e.target.value)}
      onFocus={(e) => e.target.select()}
      onBlur={() => done(typed.trim())}
      onKeyDown={(e) => {
        e.stopPropagation();
        if (e.key === "Enter") done(typed.trim());
        if (e.key === "Escape") done("");
      }}
    />
  );
}
