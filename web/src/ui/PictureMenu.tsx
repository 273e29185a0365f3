import { DropdownMenu } from "radix-ui";
import { useRef, useState, type ReactNode } from "react";
import { keepFocus } from "./focus";

export interface Shown {
  id: string;
  label: string;
  help: string;
  group: string;
  picture: () => string | undefined;
  act: () => void;
}

/** A button that opens choices as small pictures, sorted by what they are for, and searched by what they do. */
export function PictureMenu({
  trigger,
  label,
  choices,
  className,
}: {
  trigger: ReactNode;
  label: string;
  choices: Shown[];
  className?: string;
}) {
  const [query, setQuery] = useState("");
  const list = useRef<HTMLDivElement>(null);
  const wanted = query.trim().toLowerCase();
  const rank = ({ label }: Shown) =>
    label.toLowerCase() === wanted ? 0 : label.toLowerCase().startsWith(wanted) ? 1 : 2;
  const found = choices
    .filter((c) => `${c.label} ${c.help} ${c.group}`.toLowerCase().includes(wanted))
    .sort((a, b) => (wanted ? rank(a) - rank(b) : 0)); // what is called so before what does so
  const groups = [...new Set(found.map((c) => c.group))];
  return (
    <DropdownMenu.Root onOpenChange={(open) => !open && setQuery("")}>
      <DropdownMenu.Trigger className={className} title={label}>
        {trigger}
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          className="menu flex w-[560px] flex-col p-0"
          style={{ maxHeight: "min(72vh, var(--radix-dropdown-menu-content-available-height))" }}
          sideOffset={4}
          collisionPadding={8}
          onCloseAutoFocus={keepFocus}
        >
          <input
            autoFocus
            className="field m-2"
            placeholder="Search by name, or by what it does"
            aria-label="Search"
            value={query}
            onChange={(e) => setQuery(e.target.value)}
            onKeyDown={(e) => {
              if (e.key === "Escape" || e.key === "Tab") return;
              e.stopPropagation();
              const first = list.current?.querySelector<HTMLElement>("[role=menuitem]");
              if (e.key === "ArrowDown") first?.focus();
              if (e.key === "Enter") first?.click();
            }}
          />
          <div ref={list} className="min-h-0 flex-1 overflow-y-auto px-2 pb-2">
            {groups.map((group) => (
              <DropdownMenu.Group key={group}>
                <DropdownMenu.Label className="px-1 pt-1.5 pb-1 text-small text-quiet">{group}</DropdownMenu.Label>
                <div className="grid grid-cols-4 gap-1">
                  {found
                    .filter((c) => c.group === group)
                    .map((c) => (
                      <DropdownMenu.Item
                        key={c.id}
                        className="menu-item flex-col items-stretch gap-1 p-1"
                        title={c.help}
                        textValue={c.label}
                        onSelect={c.act}
                      >
                        <Small src={c.picture()} />
                        <span className="truncate text-small">{c.label}</span>
                      </DropdownMenu.Item>
                    ))}
                </div>
              </DropdownMenu.Group>
            ))}
            {!found.length && <p className="px-1 text-quiet">Nothing here is called that, or does that.</p>}
          </div>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/** A small picture that keeps its place until it is there, and if it cannot be made. */
export function Small({ src }: { src?: string }) {
  return (
    <span className="block aspect-video w-full overflow-hidden rounded bg-ground">
      {src && (
        <img
          src={src}
          alt=""
          draggable={false}
          loading="lazy"
          className="block h-full w-full object-cover"
          onError={(e) => (e.currentTarget.style.visibility = "hidden")}
        />
      )}
    </span>
  );
}
