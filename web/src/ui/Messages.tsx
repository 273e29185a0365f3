import { X } from "lucide-react";
import { useEffect } from "react";
import { REACH_WORDS, useConnection } from "../live/state";
import { usePick } from "../state/bench";

/** What went wrong or happened, in words, until it is put away. */
export function Messages() {
  const { message, conflict, set, takeOver } = usePick("message", "conflict", "set", "takeOver");
  const reach = useConnection((s) => s.reach);
  useEffect(() => {
    if (message?.kind !== "info") return undefined;
    const timer = setTimeout(() => set({ message: null }), 6000);
    return () => clearTimeout(timer);
  }, [message, set]);
  return (
    <div className="pointer-events-none fixed inset-x-0 bottom-6 z-50 flex flex-col items-center gap-2">
      {reach !== "there" && (
        <div role="alert" className="menu pointer-events-auto max-w-xl border-warn p-3">
          {REACH_WORDS[reach]}
        </div>
      )}
      {conflict && (
        <div role="alert" className="menu pointer-events-auto flex max-w-xl items-center gap-3 border-warn p-3">
          <span>{conflict}</span>
          <button className="btn btn-main" onClick={() => void takeOver()}>
            Take over the newer state
          </button>
        </div>
      )}
      {message && (
        <div
          role={message.kind === "error" ? "alert" : "status"}
          className={`menu pointer-events-auto flex max-w-xl items-center gap-3 p-3 ${message.kind === "error" ? "border-warn" : ""}`}
        >
          <span>{message.text}</span>
          <button className="icon-btn" aria-label="Put this message away" onClick={() => set({ message: null })}>
            <X size={14} />
          </button>
        </div>
      )}
    </div>
  );
}
