import { useAbout } from "../api/client";
import { sample } from "../document/animate";
import { footageOf } from "../document/layers";
import { footageFrame } from "../document/timing";
import type { Animated, Control, Layer, Op, TimeMap } from "../document/types";
import { usePick } from "../state/bench";
import { Menu } from "../ui/Menu";
import { ParamRow } from "./ParamRow";
import { Section } from "./Section";
import { WORD } from "./words";

const ENDS = { hold: "holds its last frame", loop: "begins again", nothing: "shows nothing" } as const;
const BETWEEN = { nearest: "the nearest", mixed: "both, mixed", "by motion": "what moves, on its way" } as const;
const constant = <T,>(value: T): Animated<T> => ({ value, keys: [] });

/** How a layer's content runs: by its speed, or frame by frame; what comes after its end, and what lies between two of its frames. */
export function TimeSection({ layer, plate }: { layer: Layer; plate: boolean }) {
  const { base: shot, commit, frame } = usePick("base", "commit", "frame");
  const about = useAbout().data;
  if (!shot || !about) return null;
  const id = footageOf(layer);
  const footage = id ? shot.footage[id] : null;
  const { time } = layer;
  const path = `/layers/${layer.id}/time`;
  if (footage?.kind === "still")
    return (
      <Section title="Time" note="still">
        <p className="py-1 text-quiet">A still: it lasts as long as its span.</p>
      </Section>
    );
  const put = (label: string, part: Partial<TimeMap>) =>
    void commit(
      label,
      (Object.keys(part) as (keyof TimeMap)[]).map((k): Op => ({
        op: "replace",
        path: `${path}/${k}`,
        value: part[k],
      })),
    );
  const frames = footage?.frames ?? shot.frames;
  const shown = Math.min(
    Math.max(
      footage ? footageFrame(shot, layer, frame) : time.position ? sample(time.position, frame) : frame - time.start,
      0,
    ),
    frames - 1,
  );
  const [first, last] = layer.span ?? [0, shot.frames - 1];
  const rate = footage
    ? (a: string) =>
        a
          .split("/")
          .map(Number)
          .reduce((x, y) => x / y)
    : () => 1;
  const ratio = footage ? rate(footage.rate) / rate(shot.rate) : 1;
  const backwards = sample(time.speed, time.start) < 0;
  const choices = [
    {
      id: "freeze",
      label: `freeze here (frame ${shown})`,
      act: () => put(`freeze ${layer.name} at frame ${shown}`, { position: constant(shown) }),
    },
    {
      id: "key",
      label: "key which frame is shown",
      checked: (time.position?.keys.length ?? 0) > 0,
      act: () =>
        put(`key the frames of ${layer.name}`, {
          position: { value: shown, keys: [{ frame, value: shown, ease: "linear", handles: [0.33, 0, 0.67, 1] }] },
        }),
    },
    {
      id: "reverse",
      label: backwards ? "run forwards" : "run backwards",
      act: () =>
        put(`turn ${layer.name} round`, {
          position: null,
          speed: { value: -time.speed.value, keys: time.speed.keys.map((k) => ({ ...k, value: -k.value })) },
        }),
    },
    {
      id: "fit",
      label: `fit into ${first} to ${last}`,
      act: () =>
        put(`fit ${layer.name} into its span`, {
          position: null,
          start: first,
          speed: constant(Number((((backwards ? -1 : 1) * frames) / ratio / (last - first + 1)).toFixed(6))),
        }),
    },
    ...(time.position
      ? [{ id: "run", label: "run by its speed again", act: () => put(`let ${layer.name} run`, { position: null }) }]
      : []),
  ];
  return (
    <Section title="Time" note={footage ? `${footage.frames} frames` : "of the shot"}>
      {time.position ? (
        <ParamRow
          control={{
            ...(about.speed as Control),
            name: "position",
            title: "Frame shown",
            help: "Which of its frames is shown.",
            default: 0,
            unit: "fr",
            step: 1,
            soft: [0, frames - 1],
            hard: [0, frames - 1],
          }}
          path={`${path}/position`}
          owner={layer.name}
        />
      ) : (
        <ParamRow control={about.speed as Control} path={`${path}/speed`} owner={layer.name} />
      )}
      <p className="py-1 leading-6">
        Shows frame{" "}
        <b className="mono" data-testid="frame-shown">
          {Number(shown.toFixed(2))}
        </b>{" "}
        here; <Menu className={WORD} label="Change how it runs" trigger="freeze, turn round, fit…" choices={choices} />
        {!plate && !time.position && (
          <>
            {" "}
            It starts at{" "}
            <Menu
              className={`${WORD} mono`}
              label="Where it starts"
              trigger={time.start}
              choices={[
                { id: "here", label: `here (${frame})`, act: () => put(`start ${layer.name} here`, { start: frame }) },
                {
                  id: "first",
                  label: "at the shot's first frame",
                  act: () => put(`start ${layer.name} at the first frame`, { start: 0 }),
                },
              ]}
            />
            ;
          </>
        )}{" "}
        after its end it{" "}
        <Menu
          className={WORD}
          label="After its end"
          trigger={ENDS[time.end]}
          choices={(Object.keys(ENDS) as (keyof typeof ENDS)[]).map((e) => ({
            id: e,
            label: ENDS[e],
            checked: e === time.end,
            act: () => put(`change the end of ${layer.name}`, { end: e }),
          }))}
        />
        .
        {footage && (
          <>
            {" "}
            Between two frames it shows{" "}
            <Menu
              className={WORD}
              label="Between two frames"
              trigger={BETWEEN[time.between]}
              choices={(Object.keys(BETWEEN) as (keyof typeof BETWEEN)[]).map((b) => ({
                id: b,
                label: BETWEEN[b],
                checked: b === time.between,
                act: () => put(`change what ${layer.name} shows between frames`, { between: b }),
              }))}
            />
            .
          </>
        )}
      </p>
    </Section>
  );
}
