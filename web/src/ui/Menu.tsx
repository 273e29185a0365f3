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
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className={className} title={label} aria-label={icon ? label : undefined}>
        {trigger}
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          className="menu max-h-[70vh] min-w-40 overflow-y-auto"
          sideOffset={4}
          collisionPadding={8}
          onCloseAutoFocus={keepFocus}
        >
          {choices.map((c) => (
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
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
