import { chosenText } from "../ui/classes";
import {
  Crosshair,
  Film,
  Frame,
  Hand,
  Music,
  Package,
  Pin,
  Plus,
  Smile,
  Shapes,
  Square,
  Upload,
  VenetianMask,
  Video,
  Waypoints,
  X,
} from "lucide-react";
import { useRef, useState } from "react";
import { useAbout, useShelf } from "../api/client";
import type { BodyPart, ShelfItem, Track } from "../document/types";
import { usePick } from "../state/bench";
import { useUploads } from "../state/uploads";
import { Menu } from "../ui/Menu";
import { Tip } from "../ui/Tip";
import { take } from "../tools/actions";
import { MakeDrawer } from "./MakeDrawer";
import { MattesDrawer } from "./MattesDrawer";
import { ShelfEdit } from "./ShelfEdit";
import { insertFootage, startDrag } from "../stack/drops";
import { carriedBy } from "../document/names";
import { startBody, startCamera, startPicture } from "../tools/tracking";

const DRAWERS = [
  { id: "shelf", title: "Shelf", icon: Film, keys: "1" },
  { id: "tracks", title: "Tracks", icon: Waypoints, keys: "2" },
  { id: "mattes", title: "Mattes", icon: VenetianMask, keys: "3" },
  { id: "make", title: "Make", icon: Shapes, keys: "4" },
] as const;

/** The kit at the left: drawers that slide over the picture's edge. */
export function Kit() {
  const { drawer, set } = usePick("drawer", "set");
  return (
    <nav
      aria-label="Kit"
      className="flex w-11 shrink-0 flex-col items-center gap-1 border-r border-line bg-surface pt-2"
    >
      {DRAWERS.map(({ id, title, icon: Icon, keys }) => (
        <Tip key={id} text={title} keys={keys}>
          <button
            aria-expanded={drawer === id}
            className={`flex w-10 flex-col items-center gap-0.5 rounded py-1.5 text-[11px] ${chosenText(drawer === id)}`}
            onClick={() => set({ drawer: drawer === id ? null : id })}
          >
            <Icon size={17} />
            {title}
          </button>
        </Tip>
      ))}
    </nav>
  );
}

const TOOLS = [
  { tool: "point", title: "Track a point", keys: "T" },
  { tool: "plane", title: "Track a plane", keys: "P" },
  { tool: "object", title: "Track a thing in a box", keys: "⇧T" },
  { tool: "face", title: "Track a face", keys: "⇧P" },
] as const;

/** What kind of track: a ring, a sheet in perspective, a face. */
export function KindGlyph({ kind }: { kind: Track["kind"] }) {
  const Icon = {
    point: Crosshair,
    plane: Square,
    object: Package,
    face: Smile,
    body: Hand,
    camera: Video,
    picture: Frame,
  }[kind];
  return <Icon size={14} className={`shrink-0 text-track ${kind === "plane" ? "-skew-y-12" : ""}`} />;
}

const OVER_THE_PICTURE = "absolute inset-y-0 left-0 z-20 shadow-[8px_0_24px_rgb(0_0_0/.4)]";

export function DrawerPanel() {
  const { drawer, set } = usePick("drawer", "set");
  const [kept, setKept] = useState(false);
  if (!drawer) return null;
  const title = DRAWERS.find((d) => d.id === drawer)!.title;
  return (
    <div
      className={`${kept ? "relative" : OVER_THE_PICTURE} flex w-64 shrink-0 flex-col border-r border-line bg-surface`}
      role="region"
      aria-label={title}
    >
      <header className="flex h-9 items-center gap-1 border-b border-line px-3">
        <h2 className="flex-1 font-semibold">{title}</h2>
        <Tip text={kept ? "Let it slide over the picture" : "Keep it open"}>
          <button
            className="icon-btn"
            aria-pressed={kept}
            aria-label="Keep the drawer open"
            onClick={() => setKept(!kept)}
          >
            <Pin size={13} className={kept ? "text-brass" : ""} />
          </button>
        </Tip>
        <button className="icon-btn" aria-label="Close the drawer" onClick={() => set({ drawer: null })}>
          <X size={14} />
        </button>
      </header>
      {drawer === "shelf" && <ShelfDrawer />}
      {drawer === "tracks" && <TracksDrawer />}
      {drawer === "mattes" && <MattesDrawer />}
      {drawer === "make" && <MakeDrawer />}
    </div>
  );
}

function ShelfDrawer() {
  const items = useShelf().data ?? [];
  const [query, setQuery] = useState("");
  const input = useRef<HTMLInputElement>(null);
  const send = useUploads((s) => s.send);
  const found = items.filter((i) =>
    `${i.name} ${i.tags.join(" ")} ${i.kind}`.toLowerCase().includes(query.toLowerCase()),
  );
  return (
    <>
      <div className="flex gap-1 p-2">
        <input
          className="field min-w-0 flex-1"
          placeholder="Search the shelf"
          aria-label="Search the shelf"
          value={query}
          onChange={(e) => setQuery(e.target.value)}
          onKeyDown={(e) => e.stopPropagation()}
        />
        <Tip text="Import footage">
          <button className="btn px-2" aria-label="Import footage" onClick={() => input.current?.click()}>
            <Upload size={14} />
          </button>
        </Tip>
        <input
          ref={input}
          type="file"
          multiple
          hidden
          onChange={(e) => {
            if (e.target.files?.length) void send([...e.target.files], false);
            e.target.value = "";
          }}
        />
      </div>
      <ul className="grid min-h-0 flex-1 auto-rows-min grid-cols-2 gap-2 overflow-y-auto p-2 pt-0" aria-label="Footage">
        {found.map((item) => (
          <ShelfCard key={item.id} item={item} />
        ))}
        {!found.length && (
          <li className="col-span-2 px-1 text-quiet">
            {items.length
              ? "Nothing on the shelf is called that."
              : "The shelf is empty: import footage, or drop files here."}
          </li>
        )}
      </ul>
    </>
  );
}

function ShelfCard({ item }: { item: ShelfItem }) {
  const poster = item.kind === "sound" ? null : `/api/media/${item.media}/poster.jpg`;
  return (
    <li
      draggable
      onDragStart={(e) => startDrag(e, { kind: "shelf", id: item.id })}
      className="group relative cursor-grab rounded-md border border-line bg-ground p-1"
      title={item.problem || item.tags.join(", ")}
    >
      <div className="check flex h-[58px] items-center justify-center overflow-hidden rounded">
        {poster ? (
          <img src={poster} alt="" draggable={false} className="h-full w-full object-cover" />
        ) : (
          <Music size={18} className="text-quiet" />
        )}
      </div>
      <div className={`truncate px-0.5 text-small ${item.problem ? "text-warn" : ""}`}>{item.name}</div>
      <div className="mono truncate px-0.5 text-[11px] text-quiet">
        {item.kind === "still" ? "still" : item.kind === "sound" ? "sound" : `${item.facts.frames} fr`}
        {item.facts.alpha ? " α" : ""}
      </div>
      <ShelfEdit item={item} />
      {item.kind !== "sound" && (
        <button
          className="icon-btn absolute top-1.5 right-1.5 bg-black/70 opacity-0 group-hover:opacity-100 focus-visible:opacity-100"
          aria-label={`Lay in ${item.name}`}
          onClick={() => void insertFootage(item.id, 0)}
        >
          <Plus size={13} />
        </button>
      )}
    </li>
  );
}

function TracksDrawer() {
  const { base: shot, selection, select, tool } = usePick("base", "selection", "select", "tool");
  const parts = useAbout().data?.body_parts ?? [];
  const tracks = Object.values(shot?.tracks ?? {});
  return (
    <div className="flex min-h-0 flex-1 flex-col gap-1 overflow-y-auto p-2">
      {tracks.map((t) => (
        <button
          key={t.id}
          draggable
          onDragStart={(e) => startDrag(e, { kind: "track", id: t.id })}
          onClick={() => select({ kind: "track", id: t.id })}
          aria-pressed={selection.kind === "track" && selection.id === t.id}
          className="drawer-row"
        >
          <KindGlyph kind={t.kind} />
          <span className="min-w-0 flex-1">
            <span className="block truncate">{t.name}</span>
            <span className="block truncate text-small text-quiet">
              {t.samples ? (t.lost_frames ? `${t.lost_frames} frames lost` : "followed") : "not tracked yet"} · carries{" "}
              {carriedBy(shot!, t.id).length}
            </span>
          </span>
        </button>
      ))}
      {!tracks.length && (
        <p className="px-1 py-2 text-quiet">
          No tracks yet. Start one and click in the picture. Drag a finished track onto a pane to let it ride.
        </p>
      )}
      {TOOLS.map(({ tool: kind, title, keys }) => (
        <Tip key={kind} text={title} keys={keys}>
          <button className="btn flex items-center gap-2" aria-pressed={tool === kind} onClick={() => take(kind)}>
            <KindGlyph kind={kind} /> {title}
          </button>
        </Tip>
      ))}
      <Menu
        className="btn flex w-full items-center gap-2"
        label="Found by its name in every frame; left is the subject's left"
        trigger={
          <>
            <KindGlyph kind="body" /> Follow a part of a body
          </>
        }
        choices={parts.map((p) => ({ id: p, label: p, act: () => void startBody(p as BodyPart) }))}
      />
      <Tip text="Where the camera was in each frame">
        <button className="btn flex items-center gap-2" onClick={() => void startCamera()}>
          <KindGlyph kind="camera" /> Solve the camera
        </button>
      </Tip>
      <Tip text="How most of it moves, for holding the plate still">
        <button className="btn flex items-center gap-2" onClick={() => void startPicture()}>
          <KindGlyph kind="picture" /> Track the whole picture
        </button>
      </Tip>
    </div>
  );
}
