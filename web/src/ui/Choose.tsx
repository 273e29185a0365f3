import { ChevronDown } from "lucide-react";
import { Select } from "radix-ui";

const NONE = "-"; // a choice needs a value that is not empty

/** One of several choices, as a field. */
export function Choose<T extends string>({
  label,
  value,
  choices,
  set,
  className = "",
}: {
  label: string;
  value: T;
  choices: readonly { id: T; label: string }[];
  set: (value: T) => void;
  className?: string;
}) {
  return (
    <Select.Root value={value || NONE} onValueChange={(v) => set((v === NONE ? "" : v) as T)}>
      <Select.Trigger
        aria-label={label}
        className={`field flex items-center justify-between gap-2 py-0.5 text-left ${className}`}
      >
        <span className="truncate">
          <Select.Value />
        </span>
        <ChevronDown size={12} className="shrink-0 text-quiet" />
      </Select.Trigger>
      <Select.Portal>
        <Select.Content
          position="popper"
          sideOffset={4}
          collisionPadding={8}
          className="menu min-w-[var(--radix-select-trigger-width)]"
        >
          <Select.Viewport>
            {choices.map((c) => (
              <Select.Item
                key={c.id}
                value={c.id || NONE}
                className={`menu-item ${c.id === value ? "text-brass" : ""}`}
              >
                <Select.ItemText>{c.label}</Select.ItemText>
              </Select.Item>
            ))}
          </Select.Viewport>
        </Select.Content>
      </Select.Portal>
    </Select.Root>
  );
}
