import { Popover } from "radix-ui";
import type { ReactNode } from "react";
import { keepFocus } from "./focus";

/** What a popover shows, on top of everything. */
export function Popped({
  className,
  label,
  align,
  offset = 4,
  children,
}: {
  className: string;
  label?: string;
  align?: "end";
  offset?: number;
  children: ReactNode;
}) {
  return (
    <Popover.Portal>
      <Popover.Content
        className={`menu p-3 ${className}`}
        sideOffset={offset}
        align={align}
        collisionPadding={8}
        aria-label={label}
        onCloseAutoFocus={keepFocus}
      >
        {children}
      </Popover.Content>
    </Popover.Portal>
  );
}
