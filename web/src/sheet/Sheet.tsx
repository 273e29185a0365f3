import { Fragment } from "react";
import { useAbout } from "../api/client";
import type { Control, Layer } from "../document/types";
import { usePick } from "../state/bench";
import { Chain } from "./Chain";
import { Scrub } from "../ui/Scrub";
import { LifeStrip } from "./LifeStrip";
import { HoldSection } from "./HoldSection";
import { MatchSection } from "./MatchSection";
import { MatteSheet } from "./MatteSheet";
import { Measures } from "./Measures";
import { ParamRow } from "./ParamRow";
import { PlaceSection } from "./PlaceSection";
import { Section } from "./Section";
import { Rename, Sentence } from "./Sentence";
import { TimeSection } from "./TimeSection";
import { TrackSheet } from "./TrackSheet";
import { hasPicture, hasPlace, isCarrier } from "../document/layers";
import { Choose } from "../ui/Choose";

/** The sheet of whatever is selected. */
export function Sheet() {
  const { base: shot, selection } = usePick("base", "selection");
  const layer = selection.kind === "layer" ? shot?.layers[selection.id] : undefined;
  const track = selection.kind === "track" ? shot?.tracks[selection.id] : undefined;
  const matte = selection.kind === "matte" ? shot?.mattes[selection.id] : undefined;
  return (
    <aside
      aria-label="Sheet"
      className="flex h-full w-[324px] shrink-0 flex-col gap-1 overflow-y-auto border-l border-line bg-surface px-4 py-4"
    >
      {layer && <LayerSheet layer={layer} key={layer.id} />}
      {track && <TrackSheet track={track} key={track.id} />}
      {matte && <MatteSheet matte={matte} key={matte.id} />}
      {shot && !layer && !track && !matte && <ShotSheet />}
    </aside>
  );
}

function LayerSheet({ layer }: { layer: Layer }) {
  const { base: shot, give } = usePick("base", "give");
  const about = useAbout().data;
  if (!shot || !about) return null;
  const plate = layer.id === shot.plate;
  const made = about.contents.find((c) => c.kind === layer.content.kind);
  const rows = made?.params.filter((p) => !made.life?.curves.includes(p.name)) ?? [];
  const path = `/layers/${layer.id}`;
  return (
    <>
      <Sentence layer={layer} />
      {made && made.params.length > 0 && (
        <Section title={made.title}>
          {made.life && <LifeStrip layer={layer} life={made.life} params={made.params as Control[]} />}
          {rows.map((c, i) => (
            <Fragment key={c.name}>
              {c.group && c.group !== rows[i - 1]?.group && (
                <h3 className="pt-1.5 pb-0.5 pl-[30px] text-small text-quiet">{c.group}</h3>
              )}
              <ParamRow
                control={c as Control}
                path={`${path}/content/${c.name}`}
                owner={layer.name}
                ride={
                  `${c.name}_ride` in layer.content
                    ? { path: `${path}/content/${c.name}_ride`, whole: c.widget !== "point" }
                    : undefined
                }
              />
            </Fragment>
          ))}
        </Section>
      )}
      {hasPlace(layer) && <PlaceSection layer={layer} plate={plate} />}
      {hasPicture(layer) && plate && <HoldSection layer={layer} />}
      {hasPicture(layer) && !plate && (
        <Section
          title="Meets"
          note={
            layer.meeting.length
              ? layer.meeting.length === 1
                ? "one way"
                : `${layer.meeting.length} ways`
              : "laid in as it is"
          }
        >
          <Chain layer={layer} family="meets" />
          <Measures layer={layer} />
        </Section>
      )}
      {hasPicture(layer) && !plate && <MatchSection layer={layer} />}
      {!isCarrier(layer) && (
        <Section title="Look" note={layer.chain.length ? `${layer.chain.length} in the chain` : undefined}>
          {!plate && <ParamRow control={about.opacity as Control} path={`${path}/opacity`} owner={layer.name} />}
          <Chain layer={layer} family="effects" />
        </Section>
      )}
      {hasPicture(layer) && <TimeSection layer={layer} plate={plate} />}
      <div className="flex-1" />
      <button className="btn mt-4 self-start" onClick={() => void give("remove-layers", { layers: [layer.id] })}>
        Remove this layer
      </button>
    </>
  );
}

function ShotSheet() {
  const { base: shot, commit, draft } = usePick("base", "commit", "draft");
  if (!shot) return null;
  return (
    <>
      <p className="text-[15px] leading-7">
        <Rename
          value={shot.name}
          label="Name of the shot"
          save={(name) => void commit("rename the shot", [{ op: "replace", path: "/name", value: name }])}
        />
        , a shot of <b>{shot.size.join(" × ")}</b>, trimmed to <b className="mono">{shot.trim[0]}</b> to{" "}
        <b className="mono">{shot.trim[1]}</b> of its {shot.frames} frames.
      </p>
      <p className="text-quiet">Select a pane below to change a layer, or a track in the drawer at the left.</p>
      <div className="mt-3 flex items-center gap-2">
        <span className="flex-1">Shutter of motion blur</span>
        <Scrub
          label="Shutter"
          value={shot.shutter_deg}
          step={5}
          unit="°"
          digits={0}
          hard={[0, 720]}
          onDrag={(v) => draft([{ op: "replace", path: "/shutter_deg", value: v }])}
          onSet={(v) => void commit("set the shutter", [{ op: "replace", path: "/shutter_deg", value: v }])}
        />
      </div>
      <div className="mt-3 flex items-center gap-2">
        <span className="flex-1">Blend modes work on</span>
        <Choose
          label="Blend modes work on"
          value={shot.blend_in}
          choices={[
            { id: "display", label: "display values" },
            { id: "linear", label: "linear light" },
          ]}
          set={(v) => void commit("change where blends work", [{ op: "replace", path: "/blend_in", value: v }])}
        />
      </div>
    </>
  );
}
