import { ChevronDown, ChevronRight } from "lucide-react";
import { useState, type ReactNode } from "react";
import { useAbout } from "../api/client";
import { removeLayer } from "../document/ops";
import type { Control, Layer } from "../document/types";
import { useBench } from "../state/bench";
import { EdgeRows } from "./EdgeRows";
import { Effects } from "./Effects";
import { Scrub } from "../ui/Scrub";
import { HoldSection } from "./HoldSection";
import { MatteSheet } from "./MatteSheet";
import { ParamRow } from "./ParamRow";
import { PlaceSection } from "./PlaceSection";
import { Rename, Sentence } from "./Sentence";
import { TrackSheet } from "./TrackSheet";

/** The sheet of whatever is selected. */
export function Sheet() {
  const { shot, selection } = useBench();
  const layer = selection.kind === "layer" ? shot?.layers[selection.id] : undefined;
  const track = selection.kind === "track" ? shot?.tracks[selection.id] : undefined;
  const matte = selection.kind === "matte" ? shot?.mattes[selection.id] : undefined;
  return (
    <aside aria-label="Sheet" className="flex h-full w-[324px] shrink-0 flex-col gap-1 overflow-y-auto border-l border-line bg-surface px-4 py-4">
      {layer && <LayerSheet layer={layer} key={layer.id} />}
      {track && <TrackSheet track={track} key={track.id} />}
      {matte && <MatteSheet matte={matte} key={matte.id} />}
      {shot && !layer && !track && !matte && <ShotSheet />}
    </aside>
  );
}

const open: Record<string, boolean> = {};

export function Section({ title, note, children }: { title: string; note?: string; children: ReactNode }) {
  const [shown, setShown] = useState(open[title] ?? true);
  const toggle = () => {
    open[title] = !shown;
    setShown(!shown);
  };
  return (
    <section aria-label={title} className="mt-2 border-t border-line pt-2">
      <button className="flex w-full items-center gap-1 py-1 text-left font-semibold text-quiet" aria-expanded={shown} onClick={toggle}>
        {shown ? <ChevronDown size={13} /> : <ChevronRight size={13} />}
        <h2 className="flex-1 text-body">{title}</h2>
        {note && <span className="text-small font-normal">{note}</span>}
      </button>
      {shown && children}
    </section>
  );
}

function LayerSheet({ layer }: { layer: Layer }) {
  const { shot, commit } = useBench();
  const about = useAbout().data;
  if (!shot || !about) return null;
  const plate = layer.id === shot.plate;
  const path = `/layers/${layer.id}`;
  return (
    <>
      <Sentence layer={layer} />
      {layer.kind !== "veil" && <PlaceSection layer={layer} plate={plate} />}
      {layer.kind === "footage" && plate && <HoldSection layer={layer} />}
      {layer.kind === "footage" && !plate && (layer.cut.length > 0 || shot.footage[layer.footage].alpha) && <Section title="Edge"><EdgeRows layer={layer} /></Section>}
      {layer.kind !== "carrier" && <Section title="Look" note={layer.effects.length ? `${layer.effects.length} in the chain` : undefined}>
        {!plate && <ParamRow control={about.opacity as Control} path={`${path}/opacity`} owner={layer.name} />}
        <Effects layer={layer} />
      </Section>}
      {layer.kind === "footage" && <Time layer={layer} plate={plate} />}
      <div className="flex-1" />
      <button className="btn mt-4 self-start" onClick={() => void commit(`remove ${layer.name}`, removeLayer(shot, layer.id))}>Remove this layer</button>
    </>
  );
}

function Time({ layer, plate }: { layer: Extract<Layer, { kind: "footage" }>; plate: boolean }) {
  const { shot, commit, frame } = useBench();
  const about = useAbout().data;
  if (!shot) return null;
  const footage = shot.footage[layer.footage];
  const path = `/layers/${layer.id}`;
  return (
    <Section title="Time" note={footage.kind === "still" ? "still" : `${footage.frames} frames`}>
      {footage.kind !== "still" && about && <ParamRow control={about.speed as Control} path={`${path}/speed`} owner={layer.name} />}
      {plate || footage.kind === "still" ? (
        <p className="py-1 text-quiet">{plate ? "Trim the shot by the two handles of the film strip." : "A still: it lasts as long as its span."}</p>
      ) : (
        <div className="flex flex-col gap-1.5 py-1">
          <div className="flex items-center gap-2">
            <span className="w-[110px]">Starts at frame</span><span className="mono">{layer.start}</span>
            <button className="btn ml-auto py-0" onClick={() => void commit(`start ${layer.name} here`, [{ op: "replace", path: `${path}/start`, value: frame }])}>here</button>
          </div>
          <label className="flex items-center gap-2">
            <span className="w-[110px]">After its end</span>
            <select className="field flex-1 py-0.5" value={layer.end} onChange={(e) => void commit(`change the end of ${layer.name}`, [{ op: "replace", path: `${path}/end`, value: e.target.value }])}>
              <option value="hold">hold the last frame</option><option value="loop">loop</option><option value="nothing">show nothing</option>
            </select>
          </label>
        </div>
      )}
    </Section>
  );
}

function ShotSheet() {
  const { shot, commit, draft } = useBench();
  if (!shot) return null;
  return (
    <>
      <p className="text-[15px] leading-7">
        <Rename value={shot.name} label="Name of the shot" save={(name) => void commit("rename the shot", [{ op: "replace", path: "/name", value: name }])} />
        , a shot of <b>{shot.size.join(" × ")}</b>, trimmed to <b className="mono">{shot.trim[0]}</b> to <b className="mono">{shot.trim[1]}</b> of its {shot.frames} frames.
      </p>
      <p className="text-quiet">Select a pane below to change a layer, or a track in the drawer at the left.</p>
      <div className="mt-3 flex items-center gap-2">
        <span className="flex-1">Shutter of motion blur</span>
        <Scrub label="Shutter" value={shot.shutter_deg} step={5} unit="°" digits={0} hard={[0, 720]} onDrag={(v) => draft([{ op: "replace", path: "/shutter_deg", value: v }])} onSet={(v) => void commit("set the shutter", [{ op: "replace", path: "/shutter_deg", value: v }])} />
      </div>
      <label className="mt-3 flex items-center gap-2">
        <span className="flex-1">Blend modes work on</span>
        <select className="field py-0.5" value={shot.blend_in} onChange={(e) => void commit("change where blends work", [{ op: "replace", path: "/blend_in", value: e.target.value }])}>
          <option value="display">display values</option><option value="linear">linear light</option>
        </select>
      </label>
    </>
  );
}
