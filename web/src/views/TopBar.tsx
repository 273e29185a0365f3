import { useStills } from "../picture/StillBeside";
import { Pause, Play, Repeat, StepBack, StepForward } from "lucide-react";
import { Fragment } from "react";
import { groupsAround } from "../document/layers";
import { go } from "../route";
import { type MatteView, type View, usePick } from "../state/bench";
import { useHead } from "../state/playhead";
import { Menu } from "../ui/Menu";
import { Tip } from "../ui/Tip";
import { WorkList } from "../ui/WorkList";
import { timecode } from "../document/names";

export const VIEWS: [View, string][] = [
  ["picture", "V"],
  ["alpha", "A"],
  ["red", "⇧R"],
  ["green", "⇧G"],
  ["blue", "⇧B"],
  ["luminance", "Y"],
  ["clipped", "⇧L"],
];

/** Views of the selected matte. */
const MATTE_VIEWS: [MatteView, string, string?][] = [
  ["matte", "the matte", "K"],
  ["matte-tint", "the matte as a tint", "⇧K"],
  ["matte-soft", "what is neither full nor empty"],
  ["matte-faults", "holes and crumbs"],
  ["on-checker", "what is cut, over a checker"],
  ["on-black", "over black"],
  ["on-grey", "over grey"],
  ["on-white", "over white"],
];

function FrameShown({ rate }: { rate: string }) {
  const frame = useHead();
  return (
    <>
      <span className="mono ml-2 w-[52px] text-brass" data-testid="frame">
        f {String(frame).padStart(4, "0")}
      </span>
      <span className="mono w-[66px]">{timecode(frame, rate)}</span>
    </>
  );
}

export function TopBar() {
  const {
    base: shot,
    stored,
    frame,
    seek,
    playing,
    loop,
    set,
    view,
    compare,
    zoom,
    undo,
    redo,
    selection,
    inside,
  } = usePick(
    "base",
    "stored",
    "frame",
    "seek",
    "playing",
    "loop",
    "set",
    "view",
    "compare",
    "zoom",
    "undo",
    "redo",
    "selection",
    "inside",
  );
  const stills = useStills();
  if (!shot) return <header className="h-10 border-b border-line bg-surface" />;
  const steps = [0.25, 0.5, 1, 2, 4];
  return (
    <header className="flex h-10 shrink-0 items-center gap-2 border-b border-line bg-surface px-3">
      <a
        href="/"
        className="text-quiet hover:text-ink"
        onClick={(e) => {
          e.preventDefault();
          go("/");
        }}
      >
        shots
      </a>
      <span className="text-quiet">/</span>
      {inside ? (
        <nav aria-label="Way back" className="flex min-w-0 items-center gap-1">
          <button className="max-w-32 truncate text-quiet hover:text-ink" onClick={() => set({ inside: null })}>
            {shot.name}
          </button>
          {[...groupsAround(shot, inside), inside].map((id) => (
            <Fragment key={id}>
              <span className="text-quiet">/</span>
              {id === inside ? (
                <h1 className="max-w-36 truncate text-body font-semibold">{shot.layers[id]?.name}</h1>
              ) : (
                <button className="max-w-28 truncate text-quiet hover:text-ink" onClick={() => set({ inside: id })}>
                  {shot.layers[id]?.name}
                </button>
              )}
            </Fragment>
          ))}
        </nav>
      ) : (
        <h1 className="max-w-44 truncate text-body font-semibold">{shot.name}</h1>
      )}
      <FrameShown rate={shot.rate} />
      <div className="flex" role="group" aria-label="Playing">
        <Tip text="Step back" keys="←">
          <button className="icon-btn" aria-label="Step back" onClick={() => seek(frame - 1)}>
            <StepBack size={14} />
          </button>
        </Tip>
        <Tip text={playing ? "Pause" : "Play"} keys="Space">
          <button
            className="icon-btn"
            aria-label={playing ? "Pause" : "Play"}
            onClick={() => set({ playing: !playing })}
          >
            {playing ? <Pause size={15} /> : <Play size={15} />}
          </button>
        </Tip>
        <Tip text="Step on" keys="→">
          <button className="icon-btn" aria-label="Step on" onClick={() => seek(frame + 1)}>
            <StepForward size={14} />
          </button>
        </Tip>
        <Menu
          icon
          className={`icon-btn ${loop ? "text-brass" : ""}`}
          label={loop ? `Looping ${loop[0]} to ${loop[1]}` : "Loop a range"}
          trigger={<Repeat size={13} />}
          choices={[
            {
              id: "in",
              label: `loop from here (${frame})`,
              hint: "I",
              act: () => set({ loop: [frame, Math.max(loop?.[1] ?? shot.trim[1], frame)] }),
            },
            {
              id: "out",
              label: `loop up to here (${frame})`,
              hint: "O",
              act: () => set({ loop: [Math.min(loop?.[0] ?? shot.trim[0], frame), frame] }),
            },
            { id: "all", label: "loop the whole trim", hint: "⇧O", act: () => set({ loop: null }), checked: !loop },
          ]}
        />
        {loop && (
          <span className="mono self-center text-small text-brass">
            {loop[0]}–{loop[1]}
          </span>
        )}
      </div>
      <span className="flex-1" />
      <Menu
        className="btn mono"
        label="Zoom"
        trigger={zoom === "fit" ? "fit" : `${Math.round(zoom * 100)} %`}
        choices={[
          { id: "fit", label: "fit", hint: "F", act: () => set({ zoom: "fit", pan: [0, 0] }), checked: zoom === "fit" },
          ...steps.map((z) => ({
            id: String(z),
            label: `${z * 100} %`,
            hint: z === 1 ? "X" : undefined,
            act: () => set({ zoom: z, pan: [0, 0] as [number, number] }),
            checked: zoom === z,
          })),
        ]}
      />
      <Menu
        className="btn"
        label="View"
        trigger={<>{MATTE_VIEWS.find(([v]) => v === view)?.[1] ?? view} ▾</>}
        choices={[
          ...VIEWS.map(([v, hint]) => ({
            id: v,
            label: v as string,
            hint,
            act: () => set({ view: v }),
            checked: view === v,
          })),
          ...(selection.kind === "matte" ? MATTE_VIEWS : []).map(([v, label, hint]) => ({
            id: v,
            label,
            hint,
            act: () => set({ view: v }),
            checked: view === v,
          })),
          ...stills,
        ]}
      />
      <Tip text="Wipe against the plate" keys="W">
        <button
          className="btn"
          aria-pressed={compare === "wipe"}
          onClick={() => set({ compare: compare === "wipe" ? "off" : "wipe" })}
        >
          <span className={compare === "wipe" ? "text-brass" : ""}>against the plate</span>
        </button>
      </Tip>
      <Tip text={stored?.undo ? `Undo: ${stored.undo}` : "Nothing to undo"} keys="Ctrl Z">
        <button
          className="btn max-w-40 truncate"
          disabled={!stored?.undo}
          aria-label={stored?.undo ? `Undo: ${stored.undo}` : "Undo"}
          onClick={() => void undo()}
        >
          undo{stored?.undo ? `: ${stored.undo}` : ""}
        </button>
      </Tip>
      {stored?.redo && (
        <Tip text={`Redo: ${stored.redo}`} keys="Ctrl ⇧Z">
          <button className="btn" aria-label={`Redo: ${stored.redo}`} onClick={() => void redo()}>
            redo
          </button>
        </Tip>
      )}
      <WorkList />
      <Tip text="Render this shot" keys="Ctrl Enter">
        <button className="btn btn-main" onClick={() => set({ dialog: "render" })}>
          Render
        </button>
      </Tip>
    </header>
  );
}
