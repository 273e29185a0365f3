/** One lane: its name at the left, its time at the right. */
export function Row({
  name,
  mark,
  children,
  rowRef,
}: {
  name: string;
  mark?: string;
  children: React.ReactNode;
  rowRef?: React.Ref<HTMLDivElement>;
}) {
  return (
    <div className="flex h-[26px] border-b border-line/60">
      <div
        className={`flex w-[112px] shrink-0 items-center border-r border-line pl-3 text-small ${mark ?? "text-quiet"}`}
      >
        <span className="truncate" title={name}>
          {name}
        </span>
      </div>
      <div ref={rowRef} className="relative min-w-0 flex-1">
        {children}
      </div>
    </div>
  );
}
