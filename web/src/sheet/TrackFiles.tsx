import { useRef } from "react";
import { api, asForm, got, useAbout } from "../api/client";
import type { PointTrack, Track, TrackFile } from "../document/types";
import { useBench, usePick } from "../state/bench";
import { combineTracks } from "../tools/tracking";
import { Menu } from "../ui/Menu";

/** What it found, out to other programs and in from them, in the forms there are for such a track. */
export function FileRow({ track, file }: { track: Track; file: TrackFile | undefined }) {
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
