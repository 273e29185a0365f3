import { DropdownMenu } from "radix-ui";
import type { ReactNode } from "react";
import { keepFocus } from "./focus";

export interface Choice {
  id: string;
  label: string;
  hint?: string;
  act: () => void;
  checked?: boolean;
  off?: boolean;
  /** Choices of one group stand together, under its name. */
  group?: string;
}

/** A button or word that opens a short list of choices. */
export function Menu({
  trigger,
  label,
  choices,
  className,
  icon,
}: {
  trigger: ReactNode;
  label: string;
  choices: Choice[];
  className?: string;
  icon?: boolean;
}) {
  const groups: Choice[][] = [];
  for (const choice of choices) {
    const last = groups.at(-1);
    if (last && last[0].group === choice.group) last.push(choice);
    else groups.push([choice]);
  }
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className={className} title={label} aria-label={icon ? label : undefined}>
        {trigger}
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          className={`menu max-h-[70vh] overflow-y-auto ${groups.length > 1 ? "min-w-72 columns-2" : "min-w-40"}`}
          sideOffset={4}
          collisionPadding={8}
          onCloseAutoFocus={keepFocus}
        >
          {groups.map((group) => (
            <DropdownMenu.Group key={group[0].group ?? ""} className="break-inside-avoid">
              {group[0].group && (
                <DropdownMenu.Label className="px-2 pt-1.5 pb-0.5 text-[11px] text-quiet">
                  {group[0].group}
                </DropdownMenu.Label>
              )}
              {group.map((c) => (
                <DropdownMenu.Item
                  key={c.id}
                  disabled={c.off}
                  className={`menu-item ${c.checked ? "text-brass" : ""}`}
                  onSelect={c.act}
                >
                  {c.label}
                  {c.hint && <span className="mono text-quiet">{c.hint}</span>}
                </DropdownMenu.Item>
              ))}
            </DropdownMenu.Group>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
