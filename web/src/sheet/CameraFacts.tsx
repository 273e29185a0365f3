import type { CameraFile, CameraTrack, TrackFile } from "../document/types";
import { usePick } from "../state/bench";
import { Scrub } from "../ui/Scrub";

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

/** What was solved of a camera, and what of it is given. */
export function CameraFacts({ track, file }: { track: CameraTrack; file: TrackFile | undefined }) {
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
