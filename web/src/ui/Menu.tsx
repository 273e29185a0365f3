import { DropdownMenu } from "radix-ui";
import { Fragment, type ReactNode } from "react";
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
          {choices.map((c, i) => (
            <Fragment key={c.id}>
              {c.group && c.group !== choices[i - 1]?.group && (
                <DropdownMenu.Label className="px-2 pt-1.5 pb-0.5 text-[11px] text-quiet">{c.group}</DropdownMenu.Label>
              )}
              <DropdownMenu.Item
                disabled={c.off}
                className={`menu-item ${c.checked ? "text-brass" : ""}`}
                onSelect={c.act}
              >
                {c.label}
                {c.hint && <span className="mono text-quiet">{c.hint}</span>}
              </DropdownMenu.Item>
            </Fragment>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
