import { Tooltip } from "radix-ui";
import type { ReactElement } from "react";

/** A tooltip with the control's shortcut. */
export function Tip({ text, keys, children }: { text: string; keys?: string; children: ReactElement }) {
  return (
    <Tooltip.Root>
      <Tooltip.Trigger asChild>{children}</Tooltip.Trigger>
      <Tooltip.Portal>
        <Tooltip.Content
          className="menu flex items-center gap-2 px-2 py-1 text-small"
          sideOffset={5}
          collisionPadding={8}
        >
          {text}
          {keys && <kbd className="mono rounded border border-line px-1 text-quiet">{keys}</kbd>}
        </Tooltip.Content>
      </Tooltip.Portal>
    </Tooltip.Root>
  );
}
