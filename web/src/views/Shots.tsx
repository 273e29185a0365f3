import { Copy, Trash2, Upload } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { api, cancelRun, going, got, queries, useRuns, useShots } from "../api/client";
import type { ShotCard } from "../document/types";
import { fps } from "../document/names";
import { go } from "../route";
import { useBench } from "../state/bench";
import { useUploads } from "../state/uploads";
import { FailedImport } from "../ui/FailedImport";
import { WorkRow } from "../ui/WorkList";
import { Frame } from "./Frame";

/** Home: a contact sheet of the shots; drop a clip for a new one. */
export function Shots() {
  const shots = useShots();
  const runs = useRuns().data ?? [];
  const uploads = useUploads();
  const input = useRef<HTMLInputElement>(null);
  const [over, setOver] = useState(false);
  const imports = runs.filter((r) => r.kind === "ingest");
  const arrived = imports.filter((r) => r.state === "done").length;
  useEffect(() => void queries.invalidateQueries({ queryKey: ["shots"] }), [arrived]);
  const take = (files: FileList | null) => files?.length && void uploads.send([...files], true);
  const fresh = imports.filter((r) => r.state === "failed");
  return (
    <Frame
      here="shots"
      tools={
        <button className="btn btn-main flex items-center gap-1.5" onClick={() => input.current?.click()}>
          <Upload size={13} /> New shot
        </button>
      }
    >
      <input
        ref={input}
        type="file"
        multiple
        hidden
        data-testid="new-shot-files"
        onChange={(e) => {
          take(e.target.files);
          e.target.value = "";
        }}
      />
      <div
        className="mx-auto flex max-w-[1180px] flex-col gap-5"
        onDragOver={(e) => {
          e.preventDefault();
          setOver(true);
        }}
        onDragLeave={() => setOver(false)}
        onDrop={(e) => {
          e.preventDefault();
          setOver(false);
          take(e.dataTransfer.files);
        }}
      >
        <h1 className="sr-only">Shots</h1>
        <ul className="grid grid-cols-[repeat(auto-fill,minmax(340px,1fr))] gap-4">
          {shots.data?.map((s) => (
            <li key={s.id}>
              <Card shot={s} />
            </li>
          ))}
        </ul>
        <button
          className={`ease rounded-xl border border-dashed p-8 text-center ${over ? "border-brass bg-brass/10" : "border-line text-quiet"}`}
          onClick={() => input.current?.click()}
        >
          <span className="block text-large text-ink">Drop a clip here for a new shot</span>
          MP4, MOV, MKV or WebM · pictures in sequence (PNG, JPEG, TIFF, EXR), several files or a zip · stills with
          alpha
        </button>
        <ul className="flex flex-col gap-3">
          {uploads.list.map((u) => (
            <li key={u.id} className="rounded-lg border border-line bg-surface p-3">
              <WorkRow
                title={`Sending ${u.name}`}
                done={u.share}
                total={1}
                note={`${Math.round(u.share * 100)} %`}
                stop={u.stop}
              />
            </li>
          ))}
          {[...runs.filter((r) => r.kind === "demo"), ...imports].filter(going).map((r) => (
            <li key={r.id} className="rounded-lg border border-line bg-surface p-3">
              <WorkRow
                title={r.title}
                done={r.done}
                total={r.total}
                note={r.note || "waiting for a worker"}
                stop={() => void cancelRun(r.id)}
              />
            </li>
          ))}
          {fresh.map((r) => (
            <li key={r.id}>
              <FailedImport run={r} />
            </li>
          ))}
        </ul>
      </div>
    </Frame>
  );
}

function Card({ shot }: { shot: ShotCard }) {
  const [sure, setSure] = useState(false);
  const [a, b] = shot.trim;
  const three = [a + (b - a) * 0.1, (a + b) / 2, a + (b - a) * 0.9].map(Math.round);
  const remove = async () => {
    try {
      await got(api.DELETE("/api/shots/{shot_id}", { params: { path: { shot_id: shot.id } } }));
      await queries.invalidateQueries({ queryKey: ["shots"] });
    } catch (error) {
      useBench.getState().say((error as Error).message);
    }
  };
  const copy = async () => {
    try {
      await got(api.POST("/api/shots/{shot_id}/copy", { params: { path: { shot_id: shot.id } } }));
      await queries.invalidateQueries({ queryKey: ["shots"] });
    } catch (error) {
      useBench.getState().say((error as Error).message);
    }
  };
  return (
    <article className="group relative overflow-hidden rounded-xl border border-line bg-surface hover:border-[#5a5a5a]">
      <div>
        <div className="flex h-[88px] gap-px bg-ground">
          {three.map((f, i) => (
            <img
              key={i}
              alt=""
              className="h-full min-w-0 flex-1 object-cover"
              src={`/api/shots/${shot.id}/frame/${f}.jpg?revision=${shot.revision}&width=240`}
            />
          ))}
        </div>
        <div className="flex items-baseline gap-3 px-3 pt-2">
          <h2 className="min-w-0 flex-1 truncate text-large font-semibold">
            {/* the link's area is the whole card */}
            <a
              href={`/shot/${shot.id}`}
              onClick={(e) => {
                e.preventDefault();
                go(`/shot/${shot.id}`);
              }}
              className="after:absolute after:inset-0"
            >
              <span className="sr-only">Open </span>
              {shot.name}
            </a>
          </h2>
          <span className="mono text-quiet">{((b - a + 1) / fps(shot.rate)).toFixed(1)} s</span>
        </div>
        <p className="mono px-3 pb-2 text-quiet">
          {b - a + 1} fr · {Number(fps(shot.rate).toFixed(3))} fps · {shot.size.join("×")} · {shot.layers} layers
        </p>
        {shot.problems.map((p) => (
          <p key={p} className="px-3 pb-2 text-warn">
            {p}
          </p>
        ))}
      </div>
      <div className="absolute right-2 bottom-2 z-10">
        {sure ? (
          <span className="flex gap-1">
            <button className="btn border-warn py-0 text-warn" onClick={() => void remove()}>
              {shot.runs
                ? `Delete it, and ${shot.runs === 1 ? "what was made of it" : `all ${shot.runs} renders and other work of it`}`
                : "Delete it"}
            </button>
            <button className="btn py-0" onClick={() => setSure(false)}>
              Keep
            </button>
          </span>
        ) : (
          <span className="flex">
            <button
              className="icon-btn opacity-0 group-hover:opacity-100 focus-visible:opacity-100"
              aria-label={`Duplicate ${shot.name}`}
              title="Duplicate"
              onClick={() => void copy()}
            >
              <Copy size={14} />
            </button>
            <button
              className="icon-btn opacity-0 group-hover:opacity-100 focus-visible:opacity-100"
              aria-label={`Delete ${shot.name}`}
              onClick={() => setSure(true)}
            >
              <Trash2 size={14} />
            </button>
          </span>
        )}
      </div>
    </article>
  );
}
