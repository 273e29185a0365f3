import { useQuery } from "@tanstack/react-query";
import { api, got } from "../api/client";
import type { HistoryItem } from "../document/types";
import { useBench, usePick } from "../state/bench";

/** What was done to the shot, newest first; choosing a step goes back, or forth, to where it had just been done. */
export function History() {
  const { id, stored, undo, redo, landed } = usePick("id", "stored", "undo", "redo", "landed");
  const revision = stored?.revision;
  const { data } = useQuery({
    queryKey: ["history", id, revision],
    queryFn: () => got<HistoryItem[]>(api.GET("/api/shots/{shot_id}/history", { params: { path: { shot_id: id! } } })),
    placeholderData: (before) => before,
  });
  const steps = (data ?? []).filter((step) => step.kind === "edit" && step.state !== "dropped");
  const done = steps.filter((step) => step.state === "done").length;
  const undone = steps.length - done;
  const again = async (step: () => Promise<void>, times: number) => {
    await landed();
    for (let i = 0; i < times; i += 1) await step();
  };
  /** To where so many of the steps stand. */
  const go = (standing: number) =>
    void (standing < done ? again(undo, done - standing) : again(redo, standing - done)).then(() =>
      useBench.getState().landed(),
    );
  if (!data) return <p className="text-quiet">Looking it up …</p>;
  if (!steps.length) return <p className="text-quiet">Nothing was done to this shot yet.</p>;
  return (
    <>
      <p className="mb-2 text-quiet">
        {undone
          ? undone === 1
            ? "1 step is undone: what you change now takes its place."
            : `${undone} steps are undone: what you change now takes their place.`
          : "Choose a step to go back to."}
      </p>
      <ol aria-label="Steps" className="flex flex-col">
        {steps.map((step, i) => {
          const standing = steps.length - i;
          const here = standing === done;
          return (
            <li key={step.number}>
              <button
                aria-current={here ? "step" : undefined}
                className={`menu-item w-full ${standing > done ? "text-quiet italic" : ""} ${here ? "bg-raised" : ""}`}
                onClick={() => go(standing)}
              >
                <span className="min-w-0 flex-1 truncate text-left">{step.label}</span>
                <span className="mono text-quiet">
                  {here
                    ? "you are here"
                    : new Date(step.created).toLocaleTimeString([], {
                        hour: "2-digit",
                        minute: "2-digit",
                        hour12: false,
                      })}
                </span>
              </button>
            </li>
          );
        })}
        <li>
          <button
            aria-current={done === 0 ? "step" : undefined}
            className={`menu-item w-full ${done === 0 ? "bg-raised" : ""}`}
            onClick={() => go(0)}
          >
            <span className="flex-1 text-left">{steps.length < 200 ? "as it came" : "before the last 200 steps"}</span>
            {done === 0 && <span className="mono text-quiet">you are here</span>}
          </button>
        </li>
      </ol>
    </>
  );
}
