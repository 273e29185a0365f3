import { lazy, Suspense, useEffect, useLayoutEffect, useRef, useState } from "react";
import { useShelf } from "../api/client";
import { useLiveTracks } from "../live/tracks";
import { showsTrays, useBench } from "../state/bench";
import { useUploads } from "../state/uploads";
import { useLayout } from "../state/layout";
import { Dialogs } from "./Dialogs";
import { Divider, LEAST_LANES_PX, LEAST_PICTURE_PX, MOST_LANES_PX, STRIP_PX, TRAY_PX } from "./Divider";
import { FilmStrip } from "../time/FilmStrip";
import { DrawerPanel, Kit } from "../kit/Kit";
import { Lanes } from "../time/Lanes";
import { Panes } from "../stack/Panes";
import { Sheet } from "../sheet/Sheet";
import { TopBar } from "./TopBar";
import { useKeys } from "../tools/useKeys";
import { StillBeside } from "../picture/StillBeside";
import { Viewer } from "../picture/Viewer";

const SceneView = lazy(() => import("../scene/SceneView")); // brings a 3D library along: only when it is wanted

/** The main view: picture, film strip, panes, lanes, kit and sheet of one shot. */
export function Bench({ id }: { id: string }) {
  const open = useBench((s) => s.open);
  const stored = useBench((s) => s.stored);
  const scene = useBench((s) => (s.scene && s.shot?.tracks[s.scene]?.samples ? s.scene : null));
  const [w, h] = useBench((s) => s.shot?.size) ?? [16, 9];
  const { lanes, shown } = useLayout();
  const main = useRef<HTMLElement>(null);
  const [room, setRoom] = useState<[number, number]>([900, 700]);
  useLayoutEffect(() => {
    const observer = new ResizeObserver(([entry]) => setRoom([entry.contentRect.width, entry.contentRect.height]));
    observer.observe(main.current!);
    return () => observer.disconnect();
  }, []);
  const trays = useBench(showsTrays);
  const sending = useBench((s) => s.sending > 0);
  const left = room[1] - STRIP_PX - (trays ? TRAY_PX : 0) - Math.ceil((room[0] * h) / w);
  const height = lanes ?? Math.min(Math.max(left, LEAST_LANES_PX), MOST_LANES_PX);
  useShelf();
  useKeys();
  useEffect(() => void open(id), [id, open]);
  useEffect(() => {
    for (const [track, samples] of Object.entries(useLiveTracks.getState().byTrack))
      if (samples.length && stored?.document.tracks[track]?.samples) useLiveTracks.getState().clear(track);
  }, [stored?.revision, stored?.document.tracks]);
  const drop = (e: React.DragEvent) => {
    if (!e.dataTransfer.files.length) return;
    e.preventDefault();
    void useUploads.getState().send([...e.dataTransfer.files], false);
    useBench.setState({ drawer: "shelf" });
  };
  return (
    <div className="flex h-full flex-col" onDragOver={(e) => e.preventDefault()} onDrop={drop}>
      <TopBar />
      <div className="flex min-h-0 flex-1">
        {shown === "all" && <Kit />}
        <main ref={main} aria-busy={sending} className="flex min-w-0 flex-1 flex-col">
          <div className="relative flex min-h-0 flex-1">
            <DrawerPanel />
            {scene ? (
              <Suspense fallback={<p className="m-auto text-quiet">Opening the scene…</p>}>
                <SceneView trackId={scene} />
              </Suspense>
            ) : (
              <Viewer />
            )}
            <StillBeside />
          </div>
          {shown === "all" && <Divider height={height} most={room[1] - STRIP_PX - LEAST_PICTURE_PX} />}
          {shown !== "picture" && <FilmStrip />}
          {shown === "all" && <Panes />}
          {shown === "all" && <Lanes height={height} />}
        </main>
        {shown === "all" && <Sheet />}
      </div>
      <Dialogs />
    </div>
  );
}
