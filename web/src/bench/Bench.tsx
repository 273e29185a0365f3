import { lazy, Suspense, useEffect } from "react";
import { useShelf } from "../api/client";
import { useLiveTracks } from "../live/tracks";
import { useBench } from "../state/bench";
import { useUploads } from "../state/uploads";
import { Dialogs } from "./Dialogs";
import { FilmStrip } from "./FilmStrip";
import { DrawerPanel, Kit } from "./Kit";
import { Lanes } from "./Lanes";
import { Panes } from "./Panes";
import { Sheet } from "./Sheet";
import { TopBar } from "./TopBar";
import { useKeys } from "./useKeys";
import { Viewer } from "./Viewer";

const SceneView = lazy(() => import("../scene/SceneView")); // brings a 3D library along: only when it is wanted

/** The main view: picture, film strip, panes, lanes, kit and sheet of one shot. */
export function Bench({ id }: { id: string }) {
  const open = useBench((s) => s.open);
  const stored = useBench((s) => s.stored);
  const scene = useBench((s) => (s.scene && s.shot?.tracks[s.scene]?.samples ? s.scene : null));
  useShelf();
  useKeys();
  useEffect(() => void open(id), [id, open]);
  useEffect(() => {
    for (const [track, samples] of Object.entries(useLiveTracks.getState().byTrack)) if (samples.length && stored?.document.tracks[track]?.samples) useLiveTracks.getState().clear(track);
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
        <Kit />
        <main className="flex min-w-0 flex-1 flex-col">
          <div className="relative flex min-h-0 flex-1"><DrawerPanel />{scene ? <Suspense fallback={<p className="m-auto text-quiet">Opening the scene…</p>}><SceneView trackId={scene} /></Suspense> : <Viewer />}</div>
          <FilmStrip />
          <Panes />
          <Lanes />
        </main>
        <Sheet />
      </div>
      <Dialogs />
    </div>
  );
}
