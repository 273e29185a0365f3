import { ChevronDown, ChevronRight } from "lucide-react";
import { useState, type ReactNode } from "react";

const open: Record<string, boolean> = {};

/** A part of a sheet, folded or open; which, is remembered by its title. `shut`: folded until it is opened. */
export function Section({
  title,
  note,
  children,
  shut,
}: {
  title: string;
  note?: string;
  children: ReactNode;
  shut?: boolean;
}) {
  const [shown, setShown] = useState(open[title] ?? !shut);
  const toggle = () => {
    open[title] = !shown;
    setShown(!shown);
  };
  return (
    <section aria-label={title} className="mt-2 border-t border-line pt-2">
      <button
        className="flex w-full items-center gap-1 py-1 text-left font-semibold text-quiet"
        aria-expanded={shown}
        onClick={toggle}
      >
        {shown ? <ChevronDown size={13} /> : <ChevronRight size={13} />}
        <h2 className="flex-1 text-body">{title}</h2>
        {note && <span className="text-small font-normal">{note}</span>}
      </button>
      {shown && children}
    </section>
  );
}
