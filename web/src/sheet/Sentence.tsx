import { Popover } from "radix-ui";
import { goInto } from "../tools/actions";
import { Fragment, useState } from "react";
import { useAbout } from "../api/client";
import { sample } from "../document/animate";
import { hangingFrom, setValue } from "../document/ops";
import type { Control, Layer, Ride } from "../document/types";
import { useBench, usePick } from "../state/bench";
import { Menu } from "../ui/Menu";
import { Popped } from "../ui/Popped";
import { Scrub } from "../ui/Scrub";
import { CutWords } from "./CutWords";
import { RideWords } from "./RideWords";
import { WORD } from "./words";
import { footageOf, hasPicture, hasPlace, isCarrier, isVeil } from "../document/layers";

/** What the layer is, in one sentence; each word opens what changes it. */
export function Sentence({ layer }: { layer: Layer }) {
  const { base: shot, commit } = usePick("base", "commit");
  if (!shot) return null;
  const plate = layer.id === shot.plate;
  const path = `/layers/${layer.id}`;
  const hanging = hangingFrom(shot, layer.id);
  return (
    <p className="text-[15px] leading-7" data-testid="sentence">
      <Rename
        value={layer.name}
        label="Name of the layer"
        save={(name) => void commit(`rename ${layer.name}`, [{ op: "replace", path: `${path}/name`, value: name }])}
      />
      {plate && (
        <>
          , the plate, of <b>{shot.size.join(" × ")}</b> at{" "}
          <b>{Number((Number(shot.rate.split("/")[0]) / Number(shot.rate.split("/")[1])).toFixed(3))}</b> frames a
          second
          {hasPicture(layer) && layer.place.steady ? (
            <>
              , holding <b>{shot.tracks[layer.place.steady.track]?.name}</b> still
            </>
          ) : null}
          .
        </>
      )}
      {!plate && hasPicture(layer) && <FootageWords layer={layer} />}
      {isCarrier(layer) && (
        <>
          , a carrier, shows nothing; <RideWords layer={layer} /> carries{" "}
          {hanging.length ? <b>{hanging.map((l) => l.name).join(", ")}</b> : <i className="text-quiet">nothing yet</i>}.
        </>
      )}
      {isVeil(layer) && (
        <>
          {" "}
          shows nothing of its own and changes all that lies beneath it,{" "}
          <CutWords
            cuts={layer.cuts}
            path={`${path}/cuts`}
            owner={layer.name}
            layer={{ id: layer.id, footage: false }}
            verb="only within"
            after=","
          />{" "}
          laid in with <BlendMenu layer={layer} /> at{" "}
          <span className="whitespace-nowrap">
            <Opacity layer={layer} />,
          </span>{" "}
          <Lives layer={layer} />.
        </>
      )}
    </p>
  );
}

function FootageWords({ layer }: { layer: Layer }) {
  const path = `/layers/${layer.id}`;
  return (
    <>
      <Shows layer={layer} /> <InDepth layer={layer} />
      <RideWords layer={layer} />{" "}
      <CutWords
        cuts={layer.cuts}
        path={`${path}/cuts`}
        owner={layer.name}
        layer={{ id: layer.id, footage: footageOf(layer) !== null }}
        after=","
      />{" "}
      is laid in with <BlendMenu layer={layer} /> at{" "}
      <span className="whitespace-nowrap">
        <Opacity layer={layer} />,
      </span>{" "}
      and <Lives layer={layer} />.
    </>
  );
}

/** What the layer shows, in words. */
function Shows({ layer }: { layer: Layer }) {
  const { base: shot, select } = usePick("base", "select");
  const { content } = layer;
  const about = useAbout().data;
  if (content.kind === "group")
    return (
      <>
        , a group of <b>{content.stack.length === 1 ? "one layer" : `${content.stack.length} layers`}</b> (
        <button className={WORD} onClick={() => goInto(layer.id)}>
          go into it
        </button>
        ),
      </>
    );
  if (content.kind === "twin")
    return (
      <>
        , the twin of{" "}
        <button className={WORD} onClick={() => select({ kind: "layer", id: content.layer })}>
          {shot?.layers[content.layer]?.name}
        </button>
        ,
      </>
    );
  if (content.kind === "footage") return <>, from the shelf,</>;
  const made = about?.contents.find((c) => c.kind === content.kind);
  if (!made) return <>, of a kind that is not installed here,</>;
  return (
    <>
      , {made.title.toLowerCase()} made here,
      {made.params.map((p) => {
        const ride = (content as Record<string, unknown>)[`${p.name}_ride`] as Ride | null | undefined;
        if (!ride) return null;
        return (
          <Fragment key={p.name}>
            {" "}
            {p.title.toLowerCase()} riding on{" "}
            <button className={`${WORD} decoration-track!`} onClick={() => select({ kind: "track", id: ride.track })}>
              {shot?.tracks[ride.track]?.name}
            </button>
            {shot?.tracks[ride.track]?.kind === "face" && <> ({ride.spot || "head"})</>},
          </Fragment>
        );
      })}
    </>
  );
}

/** In whose scene a layer in depth stands, and what else it is of, where it is made of something. */
function InDepth({ layer }: { layer: Layer }) {
  const { base: shot, select } = usePick("base", "select");
  if (!shot || !hasPlace(layer) || !layer.place.depth) return null;
  const track = shot.tracks[layer.place.depth.track ?? ""];
  if (!track) return <>stands in depth, </>;
  return (
    <>
      stands in the scene of{" "}
      <button className={`${WORD} decoration-track!`} onClick={() => select({ kind: "track", id: track.id })}>
        {track.name}
      </button>
      ,{" "}
    </>
  );
}

function BlendMenu({ layer }: { layer: Layer }) {
  const commit = useBench((s) => s.commit);
  const blends = useAbout().data?.blends ?? [];
  return (
    <Menu
      className={WORD}
      label="Blend"
      trigger={layer.blend}
      choices={blends.map((b) => ({
        id: b,
        label: b,
        checked: b === layer.blend,
        act: () =>
          void commit(`blend ${layer.name} with ${b}`, [
            { op: "replace", path: `/layers/${layer.id}/blend`, value: b },
          ]),
      }))}
    />
  );
}

function Opacity({ layer }: { layer: Layer }) {
  const { base: shot, frame, draft, commit } = usePick("base", "frame", "draft", "commit");
  const control = useAbout().data?.opacity as Control | undefined;
  if (!shot || !control) return null;
  const value = sample(layer.opacity, frame);
  const path = `/layers/${layer.id}/opacity`;
  return (
    <Popover.Root>
      <Popover.Trigger className={WORD} title="Opacity">
        {Math.round(value * 100)} %
      </Popover.Trigger>
      <Popped className="w-64">
        <Scrub
          label="Opacity"
          value={value * 100}
          step={1}
          unit="%"
          digits={0}
          soft={[0, 100]}
          hard={[0, 100]}
          bar
          onDrag={(v) => draft(setValue(shot, path, frame, v / 100))}
          onSet={(v) =>
            void commit(`set the opacity of ${layer.name}`, setValue(useBench.getState().shot!, path, frame, v / 100))
          }
        />
      </Popped>
    </Popover.Root>
  );
}

function Lives({ layer }: { layer: Layer }) {
  const { base: shot, frame, commit } = usePick("base", "frame", "commit");
  if (!shot) return null;
  const [a, b] = layer.span ?? [0, shot.frames - 1];
  const set = (span: [number, number] | null) =>
    void commit(`change the span of ${layer.name}`, [{ op: "replace", path: `/layers/${layer.id}/span`, value: span }]);
  const choices = [
    { id: "from", label: `from here (${frame}) on`, act: () => set([frame, Math.max(b, frame)]) },
    { id: "to", label: `up to here (${frame})`, act: () => set([Math.min(a, frame), frame]) },
    { id: "all", label: "through the whole shot", act: () => set(null) },
  ];
  if (!layer.span)
    return (
      <>
        lives <Menu className={WORD} label="When it lives" trigger="throughout" choices={choices} />
      </>
    );
  return (
    <>
      lives from <Menu className={`${WORD} mono`} label="First frame" trigger={a} choices={choices} /> to{" "}
      <Menu className={`${WORD} mono`} label="Last frame" trigger={b} choices={choices} />
    </>
  );
}

export function Rename({ value, label, save }: { value: string; label: string; save: (name: string) => void }) {
  const [typed, setTyped] = useState<string | null>(null);
  if (typed === null)
    return (
      <button className={`${WORD} text-left`} title={label} onClick={() => setTyped(value)}>
        {value}
      </button>
    );
  const done = () => {
    if (typed.trim() && typed !== value) save(typed.trim());
    setTyped(null);
  };
  return (
    <input
      autoFocus
      aria-label={label}
      className="field w-44 py-0"
      value={typed}
      maxLength={120}
      onChange={(e) => setTyped(e.target.value)}
      onBlur={done}
      onFocus={(e) => e.target.select()}
      onKeyDown={(e) => {
        e.stopPropagation();
        if (e.key === "Enter") done();
        if (e.key === "Escape") setTyped(null);
      }}
    />
  );
}
