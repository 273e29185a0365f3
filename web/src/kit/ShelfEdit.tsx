import { MoreVertical } from "lucide-react";
import { Popover } from "radix-ui";
import { useState } from "react";
import { api, got, queries } from "../api/client";
import type { ShelfItem } from "../document/types";
import { usePick } from "../state/bench";
import { Popped } from "../ui/Popped";

const tagsOf = (text: string) => [...new Set(text.split(",").map((t) => t.trim()))].filter(Boolean);

/** A thing on the shelf is renamed, tagged, or taken off it. */
export function ShelfEdit({ item }: { item: ShelfItem }) {
  const { say } = usePick("say");
  const [open, setOpen] = useState(false);
  const [name, setName] = useState(item.name);
  const [tags, setTags] = useState(item.tags.join(", "));
  const params = { path: { item_id: item.id } };
  const done = async (work: Promise<unknown>) => {
    try {
      await work;
      setOpen(false);
    } catch (error) {
      say((error as Error).message);
    }
    await queries.invalidateQueries({ queryKey: ["shelf"] });
  };
  const save = () =>
    done(got(api.PATCH("/api/shelf/{item_id}", { params, body: { name: name.trim() || null, tags: tagsOf(tags) } })));
  const opened = (o: boolean) => {
    setName(item.name);
    setTags(item.tags.join(", "));
    setOpen(o);
  };
  return (
    <Popover.Root open={open} onOpenChange={opened}>
      <Popover.Trigger
        className="icon-btn shown-over absolute top-1.5 left-1.5 bg-black/70 data-[state=open]:opacity-100"
        aria-label={`Change ${item.name}`}
      >
        <MoreVertical size={13} />
      </Popover.Trigger>
      <Popped className="w-72 p-3!">
        <form
          className="flex flex-col gap-2"
          onKeyDown={(e) => e.stopPropagation()}
          onSubmit={(e) => {
            e.preventDefault();
            void save();
          }}
        >
          <label className="flex flex-col gap-1">
            <span className="text-quiet">Name</span>
            <input className="field" value={name} maxLength={120} onChange={(e) => setName(e.target.value)} />
          </label>
          <label className="flex flex-col gap-1">
            <span className="text-quiet">Tags, with commas between them</span>
            <input className="field" value={tags} onChange={(e) => setTags(e.target.value)} />
          </label>
          <div className="flex justify-between">
            <button
              type="button"
              className="btn"
              onClick={() => void done(got(api.DELETE("/api/shelf/{item_id}", { params })))}
            >
              Take it off the shelf
            </button>
            <button className="btn btn-main">Save</button>
          </div>
        </form>
      </Popped>
    </Popover.Root>
  );
}
