import type { TrackFile } from "../document/types";

/** How open eyes and mouth are at a frame. */
export function FaceFacts({ file, frame }: { file: TrackFile; frame: number }) {
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
