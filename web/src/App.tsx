import { useEffect } from "react";
import { queries } from "./api/client";
import { Bench } from "./views/Bench";
import { live } from "./live/socket";
import { useLiveTracks } from "./live/tracks";
import { usePath } from "./route";
import { CLIENT, useBench } from "./state/bench";
import { useSession } from "./state/session";
import { Broken } from "./ui/Broken";
import { Messages } from "./ui/Messages";
import { Login } from "./views/Login";
import { Renders } from "./views/Renders";
import { Shots } from "./views/Shots";

export function App() {
  const path = usePath();
  const session = useSession();
  useEffect(() => (session.data?.open ? live.listen(heard) : undefined), [session.data?.open]);
  if (!session.data) return null;
  if (!session.data.open) return <Login />;
  const shot = /^\/shot\/([a-z0-9-]+)$/.exec(path)?.[1];
  return (
    <>
      <Broken key={path}>
        {shot ? <Bench id={shot} key={shot} /> : path === "/renders" ? <Renders /> : <Shots />}
      </Broken>
      <Messages />
    </>
  );
}

function heard(event: Parameters<Parameters<typeof live.listen>[0]>[0]) {
  if (event.kind === "run") {
    void queries.invalidateQueries({ queryKey: ["runs"] });
    if (event.track && event.samples) useLiveTracks.getState().add(event.track, event.samples);
  } else if (event.kind === "edit") {
    const { id, stored, takeOver, catchUp, say } = useBench.getState();
    void queries.invalidateQueries({ queryKey: ["shots"] });
    if (event.shot !== id || !stored || event.client === CLIENT || event.revision <= stored.revision) return;
    if (event.work) {
      // what the shot's own work stores is no one else's change
      void catchUp();
      return;
    }
    say(`This shot was changed elsewhere: ${event.label}. You see the newer state now.`, "info");
    void takeOver();
  } else if (event.kind === "open")
    for (const key of ["runs", "shots", "shelf"]) void queries.invalidateQueries({ queryKey: [key] });
  else if (event.kind === "away") return;
  else if (event.kind === "again" || event.kind === "back") {
    void queries.invalidateQueries();
    if (useBench.getState().stored) void useBench.getState().takeOver();
  } else void queries.invalidateQueries({ queryKey: [event.kind] });
}
