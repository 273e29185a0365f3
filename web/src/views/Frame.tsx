import { Film } from "lucide-react";
import type { ReactNode } from "react";
import { go } from "../route";
import { logOut, useSession } from "../state/session";
import { WorkList } from "../ui/WorkList";

/** The frame of the views beside the bench. */
export function Frame({
  here,
  children,
  tools,
}: {
  here: "shots" | "renders";
  children: ReactNode;
  tools?: ReactNode;
}) {
  const needed = useSession().data?.needed;
  const link = (to: string, name: string, now: boolean) => (
    <a
      href={to}
      aria-current={now ? "page" : undefined}
      className={now ? "font-semibold" : "text-quiet hover:text-ink"}
      onClick={(e) => {
        e.preventDefault();
        go(to);
      }}
    >
      {name}
    </a>
  );
  return (
    <div className="flex h-full flex-col">
      <header className="flex h-10 shrink-0 items-center gap-5 border-b border-line bg-surface px-4">
        <span className="flex items-center gap-2 font-semibold tracking-wide text-brass">
          <Film size={15} aria-hidden /> Tropein
        </span>
        <nav className="flex gap-4" aria-label="Views">
          {link("/", "Shots", here === "shots")}
          {link("/renders", "Renders", here === "renders")}
        </nav>
        <span className="flex-1" />
        {tools}
        <WorkList />
        {needed && (
          <button className="btn" onClick={() => void logOut()}>
            Log out
          </button>
        )}
      </header>
      <main className="min-h-0 flex-1 overflow-auto p-5">{children}</main>
    </div>
  );
}
