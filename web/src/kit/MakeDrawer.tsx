import { useEffect, useRef, useState } from "react";
import { useAbout } from "../api/client";
import { startDrag } from "../stack/drops";
import { addLayer, madeHere } from "../tools/actions";

const STILL = 60;
const STEP = 3;
const LAST = 93;
const EVERY_MS = 125; // what plays is three frames a step, as the shot's own time has it

/** What is made here, from nothing but its parameters: a click lays it in nearest the lens, a drag where it is let go. */
export function MakeDrawer() {
  const made = madeHere(useAbout().data);
  const [query, setQuery] = useState("");
  const wanted = query.toLowerCase();
  const found = made
    .map((c) => {
      const starts = c.starts.length ? c.starts : [""];
      const all = `${c.title} ${c.help}`.toLowerCase().includes(wanted);
      return { ...c, starts: all ? starts : starts.filter((s) => s.toLowerCase().includes(wanted)) };
    })
    .filter((c) => c.starts.length);
  const plain = found.filter((c) => c.starts[0] === "");
  return (
    <>
      <div className="p-2">
        <input
          className="field w-full"
          placeholder="Search what can be made"
          aria-label="Search what can be made"
          value={query}
          onChange={(e) => setQuery(e.target.value)}
          onKeyDown={(e) => e.stopPropagation()}
        />
      </div>
      <div className="min-h-0 flex-1 overflow-y-auto px-2 pb-2">
        {found
          .filter((c) => c.starts[0] !== "")
          .map((c) => (
            <section key={c.kind} aria-label={c.title} className="pb-2">
              <h3 className="px-0.5 pb-1 text-quiet" title={c.help}>
                {c.title}
              </h3>
              <ul className="grid grid-cols-2 gap-1.5">
                {c.starts.map((start) => (
                  <Start key={start} kind={c.kind} start={start} title={start} help={c.help} />
                ))}
              </ul>
            </section>
          ))}
        {plain.length > 0 && (
          <section aria-label="Plain">
            <h3 className="px-0.5 pb-1 text-quiet">Plain</h3>
            <ul className="grid grid-cols-2 gap-1.5">
              {plain.map((c) => (
                <Start key={c.kind} kind={c.kind} start="" title={c.title} help={c.help} />
              ))}
            </ul>
          </section>
        )}
        {!found.length && <p className="px-1 text-quiet">Nothing that can be made is called that.</p>}
      </div>
    </>
  );
}

/** A small picture of it that plays under the pointer. */
function Start({ kind, start, title, help }: { kind: string; start: string; title: string; help: string }) {
  const [frame, setFrame] = useState(STILL);
  const clock = useRef<number | undefined>(undefined);
  useEffect(() => () => window.clearInterval(clock.current), []);
  const rest = () => {
    window.clearInterval(clock.current);
    setFrame(STILL);
  };
  return (
    <li>
      <button
        draggable
        className="w-full cursor-grab rounded-md border border-line bg-ground p-1 text-left hover:border-quiet"
        aria-label={`Make: ${title}`}
        title={help}
        onClick={() => addLayer(kind, start)}
        onDragStart={(e) => startDrag(e, { kind: "make", id: kind, start })}
        onPointerEnter={() => {
          clock.current = window.setInterval(() => setFrame((f) => (f + STEP > LAST ? 0 : f + STEP)), EVERY_MS);
        }}
        onPointerLeave={rest}
      >
        <img
          src={`/api/made/${kind}.jpg?start=${encodeURIComponent(start)}&frame=${frame}`}
          alt=""
          draggable={false}
          loading="lazy"
          className="block aspect-video w-full rounded"
        />
        <span className="block truncate px-0.5 pt-0.5 text-small">{title}</span>
      </button>
    </li>
  );
}
