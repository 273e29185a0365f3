import { X } from "lucide-react";
import { useRef, useState } from "react";
import { api, asForm, cancelRun, got, useAbout, useRuns, useSamples } from "../api/client";
import { cornersAt, handSetFrames, marks } from "../document/marks";
import { fromPlateFrame, plateFrame } from "../document/timing";
import type {
  BodyTrack,
  CameraFile,
  CameraTrack,
  Op,
  PlaneTrack,
  PointTrack,
  Track,
  TrackFile,
} from "../document/types";
import { useBench, usePick } from "../state/bench";
import { Menu } from "../ui/Menu";
import { Scrub } from "../ui/Scrub";
import { take } from "../tools/actions";
import { carriedBy } from "../document/names";
import { Rename } from "./Sentence";
import { PatchStrip } from "./PatchStrip";
import { Section } from "./Section";
import { combineTracks, dropPoint, runTrack, snapToEdges, trimTrack } from "../tools/tracking";
import { NameWords } from "./NameWords";
import { OFFER, WORD } from "./words";

const WHAT = {
  point: "a point of",
  plane: "a plane in",
  object: "a thing in",
  face: "a face in",
  body: "a part of a body in",
  camera: "the camera of",
  picture: "the motion of all of",
};
const MEND = {
  point: "Drag the ring in the picture to put it right here; then follow again, and the path goes through it.",
  plane: "Drag a corner in the picture to put it right here; then follow again, and the plane goes through it.",
  object:
    "Drag the box or a corner in the picture to put it right here; then follow again, and the box goes through it.",
  body: "It is found by itself in every frame. Where that is wrong drag the ring right; then follow again, and the path goes through it.",
  face: "A face is found by itself. Where it is lost, what rides on it bridges the gap.",
  camera: "Select a layer, let it ride on the camera, then click one of the points in the picture to place it there.",
  picture: "Select the plate and hold this track still; with Smooth above 0 only the shake goes.",
};

/** A track: what it follows, how surely, what rides on it; run it, mend it. */
export function TrackSheet({ track }: { track: Track }) {
  const { base: shot, commit, frame, loop, seek } = usePick("base", "commit", "frame", "loop", "seek");
  const runs = useRuns().data ?? [];
  const directed = useAbout().data?.tracks.find((k) => k.kind === track.kind)?.directed ?? true;
  const files = useSamples(track.samples ? [track.samples] : []);
  const [wish, setWish] = useState<"trim" | "loop">("trim");
  if (!shot) return null;
  const over = loop ? wish : "trim";
  const path = `/tracks/${track.id}`;
  const latest = runs.find((r) => r.kind === "track" && r.settings.track === track.id);
  const run = runs.find(
    (r) => r.kind === "track" && r.settings.track === track.id && ["waiting", "running", "finishing"].includes(r.state),
  );
  const riders = carriedBy(shot, track.id);
  const file = track.samples ? files[track.samples] : undefined;
  const now = plateFrame(shot, frame);
  const frames: { frame: number; lost: boolean; confidence: number; reason?: string }[] = file?.frames ?? [];
  const here = frames.find((s) => s.frame === now);
  const kept = frames.filter((s) => !s.lost);
  const mean = kept.reduce((a, s) => a + s.confidence, 0) / Math.max(1, kept.length);
  const what = track.kind === "point" && track.order.length > 1 ? `${track.order.length} points of` : WHAT[track.kind];
  const letGo = () => {
    const held: [string, { frame: number }[]][] =
      track.kind === "point"
        ? Object.values(track.points).map((p) => [`${path}/points/${p.id}/hand_set`, p.hand_set])
        : "hand_set" in track
          ? [[`${path}/hand_set`, track.hand_set]]
          : [];
    const ops = held
      .filter(([, hand]) => hand.some((h) => h.frame === now))
      .map(([at, hand]): Op => ({ op: "replace", path: at, value: hand.filter((h) => h.frame !== now) }));
    void commit(`let ${track.name} go at ${now}`, ops);
  };
  return (
    <>
      <p className="text-[15px] leading-7" data-testid="sentence">
        <Rename
          value={track.name}
          label="Name of the track"
          save={(name) => void commit(`rename ${track.name}`, [{ op: "replace", path: `${path}/name`, value: name }])}
        />
        ,{" "}
        {track.kind === "body" ? (
          <>
            the <PartMenu track={track} /> of someone in
          </>
        ) : (
          what
        )}{" "}
        <b>{shot.footage[track.footage]?.name}</b>, seen at{" "}
        <span className="whitespace-nowrap">
          frame{" "}
          <button
            className="mono font-semibold underline decoration-2 underline-offset-4"
            onClick={() => seek(fromPlateFrame(shot, track.reference_frame))}
          >
            {track.reference_frame}
          </button>
          ,
        </span>{" "}
        {file ? (
          <>
            followed through <b>{frames.length - track.lost_frames}</b> frames
            {track.lost_frames ? (
              <>
                {" "}
                and <b className="text-warn">lost in {track.lost_frames}</b>
              </>
            ) : (
              ""
            )}
            , carries {riders.length ? <NameWords of={riders} /> : <i className="text-quiet">nothing yet</i>}
          </>
        ) : (
          "not followed yet"
        )}
        {track.kind !== "face" && track.kind !== "body" && (
          <>
            , <IgnoreWords track={track} />
          </>
        )}
        {file && track.lost_frames > 0 && (
          <>
            , <BridgeWords track={track} />
          </>
        )}
        .
      </p>
      {track.note && (
        <p role="status" className="rounded border border-warn/50 bg-warn/10 px-3 py-2">
          {track.note}
        </p>
      )}
      {latest?.state === "failed" && (
        <p role="alert" className="rounded border border-warn/50 bg-warn/10 px-3 py-2">
          {latest.error}
        </p>
      )}
      <Section title="Follow" note={file ? `confidence ${Math.round(mean * 100)} %` : undefined}>
        {run ? (
          <div className="flex flex-col gap-2 py-1">
            <progress className="w-full" aria-label="Tracking" max={run.total || 1} value={run.done} />
            <div className="flex items-center gap-2">
              <span className="mono flex-1 text-quiet">
                {run.state === "waiting" ? "waiting for a worker" : `${run.done} of ${run.total}`}
              </span>
              <button className="btn" onClick={() => void cancelRun(run.id)}>
                Stop, keep what is done
              </button>
            </div>
          </div>
        ) : !directed ? (
          <button
            className="btn btn-main my-1 w-full"
            onClick={() => void runTrack(track, "both", over)}
          >{`${track.kind === "camera" ? "Solve" : "Follow"}${file ? " again" : ""}`}</button>
        ) : (
          <div className="flex gap-1.5 py-1">
            <button className="btn flex-1" onClick={() => void runTrack(track, "backward", over)}>
              ◂ Back
            </button>
            <button className="btn btn-main flex-1" onClick={() => void runTrack(track, "both", over)}>
              Both ways
            </button>
            <button className="btn flex-1" onClick={() => void runTrack(track, "forward", over)}>
              On ▸
            </button>
          </div>
        )}
        {!run && <OverWords over={over} set={setWish} />}
        {track.kind === "point" && (
          <PointSettings track={track} shutter={file?.kind === "point" ? (file.shutter_deg ?? null) : null} />
        )}
        {track.kind === "plane" && <SnapRow track={track} file={file} now={now} />}
        {track.kind === "camera" && <CameraFacts track={track} file={file} />}
      </Section>
      <Section
        title="At this frame"
        note={here ? (here.lost ? "lost" : `confidence ${Math.round(here.confidence * 100)} %`) : "not tracked"}
      >
        <p className="py-1 text-quiet">
          {here?.reason ? `${here.reason}. ` : ""}
          {MEND[track.kind]}
        </p>
        {file?.kind === "face" && <FaceFacts file={file} frame={now} />}
        {file && frames.length > 1 && (
          <div className="flex gap-1.5 pb-1">
            <button
              className="btn flex-1 py-0.5"
              disabled={now <= frames[0].frame}
              onClick={() => void trimTrack(track, now, frames.at(-1)!.frame)}
              title="Keeps only what was found from this frame on"
            >
              Forget before
            </button>
            <button
              className="btn flex-1 py-0.5"
              disabled={now >= frames.at(-1)!.frame}
              onClick={() => void trimTrack(track, frames[0].frame, now)}
              title="Keeps only what was found up to this frame"
            >
              Forget after
            </button>
          </div>
        )}
        {file && frames.length > 1 && track.kind !== "camera" && track.kind !== "picture" && (
          <PatchStrip track={track} frames={frames} />
        )}
        {handSetFrames(track).includes(now) && (
          <button className="btn" onClick={letGo}>
            No longer set by hand here
          </button>
        )}
      </Section>
      <div className="flex-1" />
      <FileRow track={track} file={file} />
      <button
        className="btn mt-2 self-start"
        onClick={() => void useBench.getState().give("remove-tracks", { tracks: [track.id] })}
      >
        Remove this track
      </button>
    </>
  );
}

/** Which frames are followed: all of the trim, or those of the loop. */
function OverWords({ over, set }: { over: "trim" | "loop"; set: (over: "trim" | "loop") => void }) {
  const { base: shot, loop } = usePick("base", "loop");
  const stretch = ([first, last]: [number, number]) => `${first} to ${last}`;
  const choices = [
    { id: "trim", label: "the trim", hint: stretch(shot!.trim), checked: over === "trim", act: () => set("trim") },
    {
      id: "loop",
      label: "the loop",
      hint: loop ? stretch(loop) : "I and O set one",
      checked: over === "loop",
      act: () => set("loop"),
      off: !loop,
    },
  ];
  return (
    <p className="py-1">
      through{" "}
      <Menu
        className={WORD}
        label="Which frames are followed"
        trigger={over === "loop" ? `the loop, ${stretch(loop!)}` : "the trim"}
        choices={choices}
      />
    </p>
  );
}

/** What it found, out to other programs and in from them, in the forms there are for such a track. */
function FileRow({ track, file }: { track: Track; file: TrackFile | undefined }) {
  const { id, say } = usePick("id", "say");
  const forms = useAbout().data?.forms.filter((f) => f.of === "track") ?? [];
  const input = useRef<HTMLInputElement>(null);
  const out = file ? forms.filter((f) => !f.files.length || f.files.includes(file.kind)) : [];
  const readable = forms.filter((f) => f.into.includes(track.kind)).flatMap((f) => f.reads);
  const saves = out.flatMap((f) =>
    Object.entries(f.writes).map(([extension, title]) => ({
      id: extension,
      label: title,
      hint: extension,
      act: () => {
        location.href = `/api/shots/${id}/tracks/${track.id}/file${extension}`;
      },
    })),
  );
  const read = async (chosen: File) => {
    try {
      await useBench.getState().landed();
      const params = { path: { shot_id: id!, track_id: track.id } };
      const body = { file: chosen as unknown as string };
      await got(api.POST("/api/shots/{shot_id}/tracks/{track_id}/file", { params, body, bodySerializer: asForm }));
    } catch (error) {
      say((error as Error).message);
    }
  };
  return (
    <div className="mt-4 flex flex-wrap gap-1.5">
      {saves.length > 0 && (
        <Menu className="btn" label="Save the track for other programs" trigger="Save" choices={saves} />
      )}
      {track.kind === "point" && track.samples && <CombineMenu track={track} />}
      {readable.length > 0 && (
        <button className="btn" title={readable.join(", ")} onClick={() => input.current?.click()}>
          Read a file
        </button>
      )}
      <input
        ref={input}
        type="file"
        accept={readable.join(",")}
        hidden
        aria-label="A track from another program"
        onChange={(e) => {
          if (e.target.files?.[0]) void read(e.target.files[0]);
          e.target.value = "";
        }}
      />
    </div>
  );
}

/** A new track that goes as this one and others do together. */
function CombineMenu({ track }: { track: PointTrack }) {
  const shot = useBench((s) => s.shot);
  const others = Object.values(shot?.tracks ?? {}).filter(
    (t) => t.kind === "point" && t.id !== track.id && t.samples && t.footage === track.footage,
  );
  if (!others.length) return null;
  const all =
    others.length > 1
      ? [{ id: "all", label: `all ${others.length + 1} points`, act: () => void combineTracks([track, ...others]) }]
      : [];
  return (
    <Menu
      className="btn"
      label="Make one track of several"
      trigger="Average with"
      choices={[...others.map((t) => ({ id: t.id, label: t.name, act: () => void combineTracks([track, t]) })), ...all]}
    />
  );
}

/** What of the picture does not count while it is tracked. */
function IgnoreWords({ track }: { track: Track }) {
  const { base: shot, commit } = usePick("base", "commit");
  if (!shot) return null;
  const path = `/tracks/${track.id}`;
  const set = (matte: string | null, side: Track["ignore_side"]) =>
    void commit(
      matte
        ? `let ${track.name} ignore what is ${side} ${shot.mattes[matte].name}`
        : `let ${track.name} ignore nothing`,
      [
        { op: "replace", path: `${path}/ignore`, value: matte },
        { op: "replace", path: `${path}/ignore_side`, value: side },
      ],
    );
  const name = track.ignore ? (shot.mattes[track.ignore]?.name ?? "?") : "";
  const choices = Object.values(shot.mattes).flatMap((m) =>
    (["inside", "outside"] as const).map((side) => ({
      id: `${m.id} ${side}`,
      label: `what is ${side} ${m.name}`,
      checked: track.ignore === m.id && track.ignore_side === side,
      act: () => set(m.id, side),
    })),
  );
  if (!choices.length) return <i className="text-quiet">ignores nothing (no mattes)</i>;
  return (
    <>
      {track.ignore ? <>ignores what is {track.ignore_side} </> : ""}
      <Menu
        className={track.ignore ? `${WORD} decoration-matte!` : OFFER}
        label="What of the picture does not count"
        trigger={track.ignore ? name : "ignores nothing yet"}
        choices={[...choices, { id: "none", label: "nothing", checked: !track.ignore, act: () => set(null, "inside") }]}
      />
    </>
  );
}

/** Which part of a body is followed. */
function PartMenu({ track }: { track: BodyTrack }) {
  const commit = useBench((s) => s.commit);
  const parts = useAbout().data?.body_parts ?? [];
  return (
    <Menu
      className={WORD}
      label="Which part"
      trigger={track.part}
      choices={parts.map((p) => ({
        id: p,
        label: p,
        checked: p === track.part,
        act: () =>
          void commit(`follow the ${p} with ${track.name}`, [
            { op: "replace", path: `/tracks/${track.id}/part`, value: p },
          ]),
      }))}
    />
  );
}

/** Whose motion fills the frames in which it is lost. */
function BridgeWords({ track }: { track: Track }) {
  const { base: shot, commit } = usePick("base", "commit");
  if (!shot) return null;
  const others = Object.values(shot.tracks).filter((t) => t.id !== track.id && t.samples && t.kind !== "camera");
  const set = (id: string | null) =>
    void commit(id ? `bridge ${track.name} by ${shot.tracks[id].name}` : `bridge ${track.name} by no other`, [
      { op: "replace", path: `/tracks/${track.id}/bridge`, value: id },
    ]);
  return (
    <>
      {track.bridge ? "its gaps carried by " : ""}
      <Menu
        className={track.bridge ? `${WORD} decoration-track!` : OFFER}
        label="Whose motion fills its gaps"
        trigger={track.bridge ? (shot.tracks[track.bridge]?.name ?? "?") : "its gaps carried by no other track"}
        choices={[
          ...others.map((t) => ({
            id: t.id,
            label: t.name,
            hint: t.kind,
            checked: t.id === track.bridge,
            act: () => set(t.id),
          })),
          { id: "none", label: "no other", checked: !track.bridge, act: () => set(null) },
        ]}
      />
    </>
  );
}

function SnapRow({ track, file, now }: { track: PlaneTrack; file: TrackFile | undefined; now: number }) {
  const corners = cornersAt(
    track,
    now,
    marks(file, undefined).find((m) => m.frame === now),
  );
  return (
    <button
      className="btn my-1 w-full"
      disabled={!corners}
      title="Draws its corners to the edges that lie along its sides at this frame"
      onClick={() => corners && void snapToEdges(track, corners)}
    >
      Snap to edges
    </button>
  );
}

const MAY_DIFFER = [
  ["match_light", "light"],
  ["match_turn", "turn and size"],
  ["match_blur", "motion blur"],
] as const;

function PointSettings({ track, shutter }: { track: PointTrack; shutter: number | null }) {
  const { base: shot, commit } = usePick("base", "commit");
  const row = (title: string, key: "pattern_px" | "reach_px", hard: [number, number]) => (
    <div className="flex items-center gap-2">
      <span className="flex-1">{title}</span>
      <Scrub
        label={title}
        value={track[key]}
        step={1}
        unit="px"
        digits={0}
        hard={hard}
        onDrag={() => undefined}
        onSet={(v) =>
          void commit(`set the ${title.toLowerCase()} of ${track.name}`, [
            { op: "replace", path: `/tracks/${track.id}/${key}`, value: Math.round(v) },
          ])
        }
      />
    </div>
  );
  return (
    <>
      {row("Pattern", "pattern_px", [7, 60])}
      {row("Reach", "reach_px", [8, 200])}
      <fieldset className="flex flex-wrap gap-x-3 gap-y-1 py-1">
        <legend className="text-quiet">May differ from the reference</legend>
        {MAY_DIFFER.map(([key, label]) => (
          <label key={key} className="flex items-center gap-1.5">
            <input
              type="checkbox"
              checked={track[key]}
              onChange={(e) =>
                void commit(`${e.target.checked ? "match" : "do not match"} ${label} with ${track.name}`, [
                  { op: "replace", path: `/tracks/${track.id}/${key}`, value: e.target.checked },
                ])
              }
            />
            {label}
          </label>
        ))}
      </fieldset>
      {shutter !== null && (
        <div className="flex items-center gap-2 py-0.5">
          <span className="flex-1" title="How long the shutter was open, read from the motion blur">
            Shutter <span className="mono">{shutter.toFixed(0)}°</span>
          </span>
          <button
            className="btn py-0"
            disabled={shot?.shutter_deg === Math.round(shutter)}
            onClick={() =>
              void commit("take the plate's shutter for the shot", [
                { op: "replace", path: "/shutter_deg", value: Math.round(shutter) },
              ])
            }
          >
            Take it for the shot
          </button>
        </div>
      )}
      <div className="flex items-center gap-2 py-1">
        <span className="flex-1 text-quiet">
          {track.order.length > 1
            ? `${track.order.length} points: turn and size too`
            : "A second point adds turn and size"}
        </span>
        <button className="btn py-0" onClick={() => take("more")}>
          Add a point
        </button>
      </div>
      {track.order.length > 1 && (
        <div className="flex flex-wrap items-center gap-1 py-1" role="group" aria-label="Its points">
          {track.order.map((id, i) => (
            <span key={id} className="flex items-center gap-1 rounded-sm border border-line pl-1.5 text-[11px]">
              point {i + 1}
              <button
                className="icon-btn"
                aria-label={`Take point ${i + 1} out`}
                title="Take it out, with what was found of it"
                onClick={() => void dropPoint(track, id)}
              >
                <X size={11} />
              </button>
            </span>
          ))}
        </div>
      )}
    </>
  );
}

const MOVES = { free: "a free move", rotation: "turning only", planar: "a move before one plane" };

/** By what share of its way from the middle the corner of a solved picture is seen too far out. */
function cornerBend(file: CameraFile): number {
  if (!file.radial) return 0;
  const reach = Math.hypot(...file.size) / 2 / file.focal_px;
  let r = reach;
  for (let i = 0; i < 40; i++) r -= (r * (1 + file.radial * r * r) - reach) / (1 + 3 * file.radial * r * r);
  return reach / r - 1;
}

const bendWords = (share: number) =>
  share === 0 ? "straight" : `${(share * 100).toFixed(2)} % ${share < 0 ? "barrel" : "pincushion"}`;

interface KnownRow {
  label: string;
  title: string;
  value: number | null;
  found: number;
  step: number;
  unit: string;
  digits: number;
  hard: [number, number];
  set: (v: number | null) => void;
}

/** Something of the lens that is found unless it is given. */
function Known({ label, title, value, found, step, unit, digits, hard, set }: KnownRow) {
  return (
    <div className="flex items-center gap-2 py-0.5">
      <span className="flex-1" title={title}>
        {label}
      </span>
      {value === null ? (
        <button className="btn py-0" aria-label={`${label}: found; give it`} onClick={() => set(found)}>
          found; give it
        </button>
      ) : (
        <>
          <Scrub
            label={label}
            value={value}
            step={step}
            unit={unit}
            digits={digits}
            hard={hard}
            onDrag={() => undefined}
            onSet={set}
          />
          <button className="btn py-0" aria-label={`${label}: find it`} onClick={() => set(null)}>
            find
          </button>
        </>
      )}
    </div>
  );
}

function CameraFacts({ track, file }: { track: CameraTrack; file: TrackFile | undefined }) {
  const { base: shot, commit, scene, set } = usePick("base", "commit", "scene", "set");
  const solved = file?.kind === "camera" ? file : undefined;
  const width = shot?.footage[track.footage].size[0] ?? 1;
  const bend = solved ? cornerBend(solved) : 0;
  const give = (name: string, what: string) => (value: number | null) =>
    void commit(value === null ? `let the ${what} of ${track.name} be found` : `give ${track.name} its ${what}`, [
      { op: "replace", path: `/tracks/${track.id}/${name}`, value },
    ]);
  const percent = give("lens", "lens");
  const s = solved?.solve;
  const facts: [string, string, string?][] =
    solved && s
      ? [
          ["Kind", MOVES[s.kind]],
          [
            "Focal length",
            `${solved.focal_px.toFixed(1)}${s.focal_sd_px ? ` ± ${s.focal_sd_px.toFixed(1)}` : ""} px`,
            "± one standard deviation, as far as the points tell",
          ],
          ["Seen across", `${((2 * Math.atan(width / 2 / solved.focal_px) * 180) / Math.PI).toFixed(1)}°`],
          ["Lens", bendWords(bend), "How far out of its place the picture's corner is seen"],
          [
            "Points",
            `${solved.points3d.length}${s.spread ? `, on ${Math.round(s.spread * 100)} %` : ""}`,
            "How many, and on how much of the picture they lie",
          ],
          ["Mean error", `${s.reprojection_px.toFixed(2)} px`],
          ["Parallax", `${s.parallax_deg.toFixed(1)}°`, "The angle between the outermost views of a point"],
          ...(s.kind === "rotation" || !s.halves_apart
            ? []
            : [
                [
                  "Halves agree within",
                  `${(s.halves_apart * 100).toFixed(2)} %`,
                  "The paths that either half of the points gives on its own, of their extent",
                ] as [string, string, string],
              ]),
        ]
      : [];
  return (
    <>
      <Known
        label="Focal length"
        title="Given, it is held to; else it is found"
        value={track.focal_px}
        found={solved?.focal_px ?? width * 1.2}
        step={1}
        unit="px"
        digits={1}
        hard={[2, 1e6]}
        set={give("focal_px", "focal length")}
      />
      <Known
        label="Bend of the lens"
        title="How far out of its place the picture's corner is seen: below 0 drawn in, above 0 out. Given, it is held to; else it is found"
        value={track.lens === null ? null : track.lens * 100}
        found={Number((bend * 100).toFixed(2))}
        step={0.1}
        unit="%"
        digits={2}
        hard={[-30, 30]}
        set={(v) => percent(v === null ? null : Number((v / 100).toFixed(5)))}
      />
      {solved && (
        <button
          className="btn my-1 w-full"
          aria-pressed={scene === track.id}
          onClick={() => set({ scene: scene === track.id ? null : track.id })}
        >
          {scene === track.id ? "Back to the picture" : "Look at the scene"}
        </button>
      )}
      <dl className="grid grid-cols-[auto_1fr] gap-x-3 gap-y-1 py-1">
        {facts.map(([name, v, why]) => [
          <dt key={name} className="text-quiet" title={why}>
            {name}
          </dt>,
          <dd key={`${name}v`} className="mono text-right">
            {v}
          </dd>,
        ])}
      </dl>
    </>
  );
}

function FaceFacts({ file, frame }: { file: TrackFile; frame: number }) {
  const sample = file.kind === "face" ? file.frames.find((s) => s.frame === frame) : undefined;
  if (!sample?.eye_open) return null;
  const facts = [
    ["Left eye open", sample.eye_open.left],
    ["Right eye open", sample.eye_open.right],
    ["Mouth open", sample.mouth_open ?? 0],
  ] as const;
  return (
    <dl className="grid grid-cols-[1fr_auto] gap-y-1 py-1">
      {facts.map(([name, v]) => [
        <dt key={name}>{name}</dt>,
        <dd key={`${name}v`} className="mono text-right">
          {Math.round(v * 100)} %
        </dd>,
      ])}
    </dl>
  );
}
