import { memo, useState } from "react";
import { GalleryHorizontal, Pipette, RotateCcw } from "lucide-react";

import { sample } from "../document/animate";
import { fromHex, toHex } from "../document/colour";
import { hasPicture } from "../document/layers";
import { at, setValue, toggleKey } from "../document/ops";
import type { Control, DrawnCurve, Layer, Vec2 } from "../document/types";
import { useBench, usePick } from "../state/bench";
import { Choose } from "../ui/Choose";
import { Scrub } from "../ui/Scrub";
import { Tip } from "../ui/Tip";
import { RideButton } from "./RideButton";
import { CurveField } from "./CurveField";
import { MoverMenu, MoverRows } from "./Movers";
import { StoredFile } from "./StoredFile";
import { Sweep } from "./Sweep";
import { KeyPip } from "../time/Pip";

const LAYER = /^\/layers\/([^/]+)\//;

interface Row {
  control: Control;
  path: string;
  owner: string;
  ride?: { path: string; whole: boolean };
}

/** One parameter of the sheet, drawn from its control's own metadata. `path` is its JSON pointer in the shot. */
export const ParamRow = memo(function ParamRow(row: Row) {
  return ["text", "choice", "matte", "layer", "table", "font"].includes(row.control.widget) ? (
    <SettingRow {...row} />
  ) : (
    <KeyedRow {...row} />
  );
});

/** What is set and not keyed: words, or one of some choices. */
function SettingRow({ control, path, owner }: Row) {
  const { draft, commit } = usePick("draft", "commit");
  const value = useBench((s) => (s.shot ? (at(s.shot, path) as unknown as string | undefined) : undefined));
  const things = useBench((s) => (control.widget === "layer" ? s.base?.layers : s.base?.mattes)) ?? {};
  if (value === undefined) return null;
  const change = (v: string | null) => [{ op: "replace" as const, path, value: v }];
  const set = (v: string | null) => void commit(`set ${control.title.toLowerCase()} of ${owner}`, change(v));
  return (
    <div className="flex min-h-7 items-start gap-1.5 py-0.5 pl-[30px]">
      <Tip text={control.help || control.title}>
        <span className="w-[80px] shrink-0 truncate pt-0.5">{control.title}</span>
      </Tip>
      {control.widget === "matte" || control.widget === "layer" ? (
        <Choose
          label={control.title}
          value={value ?? ""}
          choices={pointed(control.widget, things, path, control.options?.none)}
          set={(v) => set(v || null)}
        />
      ) : control.widget === "table" || control.widget === "font" ? (
        <StoredFile of={control.widget} path={path} owner={owner} />
      ) : control.widget === "choice" ? (
        <Choose
          label={control.title}
          value={value}
          choices={Object.entries(control.options ?? {}).map(([id, label]) => ({ id, label }))}
          set={set}
        />
      ) : (
        <textarea
          aria-label={control.title}
          className="field min-w-0 flex-1 resize-y"
          rows={Math.min(6, value.split("\n").length + 1)}
          maxLength={2000}
          value={value}
          onKeyDown={(e) => e.stopPropagation()}
          onChange={(e) => draft(change(e.target.value))}
          onBlur={(e) => {
            if ((at(useBench.getState().base!, path) as unknown) !== e.target.value) set(e.target.value);
          }}
        />
      )}
    </div>
  );
}

/** What the numbers of a value are called. */
const PARTS: Record<string, string[]> = {
  vec2: ["x", "y"],
  point: ["x", "y"],
  vec3: ["x", "y", "z"],
  chip: ["warmth", "tint", "stops"],
  hue: ["strength", "turn"],
};

/** What a setting may point at: nothing, a matte, or another layer with a picture. */
function pointed(
  widget: "matte" | "layer",
  things: Record<string, { id: string; name: string }>,
  path: string,
  none = "nothing",
) {
  const own = path.match(LAYER)?.[1];
  const fit = Object.values(things).filter((t) => widget === "matte" || (t.id !== own && hasPicture(t as Layer)));
  return [
    { id: "", label: fit.length ? none : `${none} (no ${widget === "matte" ? "mattes" : "other layers"})` },
    ...fit.map((t) => ({ id: t.id, label: t.name })),
  ];
}

const UNSEEN = "opacity-0 group-hover:opacity-100"; // until the pointer is over the row

const KeyedRow = memo(function KeyedRow({ control, path, owner, ride }: Row) {
  const { frame, draft, commit } = usePick("frame", "draft", "commit");
  const parameter = useBench((s) => (s.shot ? at(s.shot, path) : undefined)); // what else is dragged is not this row's
  const [swept, setSwept] = useState(false);
  if (!parameter) return null;
  const shown = () => useBench.getState().shot!;
  const value = sample(parameter, frame);
  const keyed = parameter.keys.length > 0;
  const label = `${control.title.toLowerCase()} of ${owner}`;
  const drag = (v: unknown) => draft(setValue(shown(), path, frame, v));
  const set = (v: unknown) => void commit(`set ${label}`, setValue(shown(), path, frame, v));
  const layer = control.widget === "number" && control.soft ? (path.match(LAYER)?.[1] ?? null) : null;
  const changed = keyed || JSON.stringify(value) !== JSON.stringify(control.default);
  return (
    <>
      <div className="group flex min-h-7 items-center gap-1.5">
        <KeyButton path={path} title={control.title} label={label} />
        <Tip text={control.help || control.title}>
          <span className={`${ride ? "w-[60px]" : "w-[86px]"} shrink-0 truncate ${keyed ? "text-brass" : ""}`}>
            {control.title}
          </span>
        </Tip>
        {layer && (
          <Tip text="See it across its range">
            <button
              className={`icon-btn tight -ml-[22px] bg-surface focus-visible:opacity-100 ${swept ? "text-brass" : UNSEEN}`}
              aria-label={`Sweep ${control.title}`}
              aria-pressed={swept}
              onClick={() => setSwept(!swept)}
            >
              <GalleryHorizontal size={11} />
            </button>
          </Tip>
        )}
        {ride && <RideButton path={ride.path} what={control.title} owner={owner} whole={ride.whole} />}
        <div className="flex min-w-0 flex-1 items-center justify-end gap-1">
          <Value control={control} value={value} drag={drag} set={set} />
        </div>
        <span className="flex shrink-0">
          {control.widget === "colour" && <PickButton path={path} title={control.title} label={label} />}
          <MoverMenu parameter={parameter} path={path} label={label} control={control} />
          <button
            className="icon-btn tight opacity-0 group-hover:opacity-100 focus-visible:opacity-100 disabled:invisible"
            disabled={!changed}
            aria-label={`Reset ${control.title}`}
            onClick={() =>
              void commit(`reset ${label}`, [
                { op: "replace", path: `${path}/keys`, value: [] },
                { op: "replace", path: `${path}/value`, value: control.default },
              ])
            }
          >
            <RotateCcw size={11} />
          </button>
        </span>
      </div>
      <MoverRows parameter={parameter} path={path} label={label} />
      {swept && layer && <Sweep control={control} path={path} value={value as number} layer={layer} set={set} />}
    </>
  );
});

interface ValueProps {
  control: Control;
  value: unknown;
  drag: (v: unknown) => void;
  set: (v: unknown) => void;
}

function Value({ control, value, drag, set }: ValueProps) {
  const soft = (control.soft ?? null) as Vec2 | null;
  const common = { step: control.step, hard: control.hard };
  if (control.widget === "curve")
    return <CurveField title={control.title} value={value as DrawnCurve} drag={drag} set={set} />;
  if (control.widget === "scale") {
    const [x, y] = value as Vec2;
    const scaled = (f: number): Vec2 => (Math.abs(x) > 1e-6 ? [f, (y / x) * f] : [f, f]);
    return (
      <Scrub
        label={control.title}
        value={x * 100}
        step={0.5}
        unit="%"
        digits={1}
        soft={[0, 300]}
        hard={[-5000, 5000]}
        bar
        onDrag={(v) => drag(scaled(v / 100))}
        onSet={(v) => set(scaled(v / 100))}
      />
    );
  }
  if (control.widget in PARTS) {
    const v = value as number[];
    return v.map((_, i) => {
      const one = (n: number) => v.map((o, k) => (k === i ? n : o));
      return (
        <Scrub
          key={i}
          label={`${control.title} ${PARTS[control.widget][i]}`}
          value={v[i]}
          {...common}
          digits={v.length < 3 ? 1 : Math.abs(v[i]) < 10 ? 2 : Math.abs(v[i]) < (v[i] < 0 ? 100 : 1000) ? 1 : 0}
          width={v.length > 2 ? 46 : undefined}
          onDrag={(n) => drag(one(n))}
          onSet={(n) => set(one(n))}
        />
      );
    });
  }
  if (control.widget === "triple" || control.widget === "colour") {
    const v = value as number[];
    return (
      <>
        {control.widget === "colour" && (
          <input
            type="color"
            aria-label={`${control.title} colour`}
            className="h-5 w-7 rounded border border-line bg-transparent"
            value={toHex(v)}
            onInput={(e) => drag(fromHex(e.currentTarget.value))}
            onBlur={(e) => {
              if (e.currentTarget.value !== toHex(v)) set(fromHex(e.currentTarget.value));
            }}
            onChange={(e) => set(fromHex(e.currentTarget.value))}
          />
        )}
        {v.map((_, i) => {
          const one = (n: number) => v.map((o, k) => (k === i ? n : o));
          return (
            <Scrub
              key={i}
              label={`${control.title} ${["red", "green", "blue"][i]}`}
              value={v[i]}
              step={control.step}
              soft={soft}
              hard={control.widget === "colour" ? [0, 64] : [control.hard[0] ?? -64, control.hard[1] ?? 64]}
              digits={2}
              width={36}
              onDrag={(n) => drag(one(n))}
              onSet={(n) => set(one(n))}
            />
          );
        })}
      </>
    );
  }
  const percent = control.hard[0] === 0 && control.hard[1] === 1 && !control.unit;
  const k = percent ? 100 : 1;
  const digits = percent ? (control.step < 0.01 ? 1 : 0) : undefined;
  return (
    <Scrub
      label={control.title}
      value={(value as number) * k}
      step={control.step * k}
      unit={percent ? "%" : control.unit}
      digits={digits}
      bar
      soft={soft && (soft.map((s) => s * k) as Vec2)}
      hard={control.hard.map((h) => (h === null ? null : h * k))}
      onDrag={(v) => drag(v / k)}
      onSet={(v) => set(v / k)}
    />
  );
}

/** Takes the colour from the next click in the picture. */
function PickButton({ path, title, label }: { path: string; title: string; label: string }) {
  const { pickFor, set } = usePick("pickFor", "set");
  const armed = pickFor?.path === path;
  return (
    <Tip text="Pick it in the picture">
      <button
        className={`icon-btn tight focus-visible:opacity-100 ${armed ? "" : "opacity-0 group-hover:opacity-100"}`}
        aria-label={`Pick ${title}`}
        aria-pressed={armed}
        onClick={() => set(armed ? { tool: "move", pickFor: null } : { tool: "pick", pickFor: { path, label } })}
      >
        <Pipette size={11} className={armed ? "text-brass" : "text-quiet"} />
      </button>
    </Tip>
  );
}

/** The pip before what can be keyed: adds a key here, or removes it. */
export function KeyButton({ path, title, label }: { path: string; title: string; label: string }) {
  const { frame, commit } = usePick("frame", "commit");
  const parameter = useBench((s) => (s.shot ? at(s.shot, path) : undefined));
  if (!parameter) return null;
  const here = parameter.keys.some((k) => k.frame === frame);
  return (
    <Tip text={here ? "Remove the key here" : parameter.keys.length ? "Add a key here" : "Key this from here on"}>
      <button
        className="icon-btn min-w-5"
        aria-pressed={here}
        aria-label={`Key ${title}`}
        onClick={() =>
          void commit(
            here ? `remove a key of ${label}` : `key ${label}`,
            toggleKey(useBench.getState().shot!, path, frame),
          )
        }
      >
        <KeyPip parameter={parameter} frame={frame} />
      </button>
    </Tip>
  );
}
