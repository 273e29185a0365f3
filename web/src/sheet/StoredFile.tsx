import { api, asForm, got } from "../api/client";
import { at } from "../document/ops";
import type { Layer } from "../document/types";
import { useBench, usePick } from "../state/bench";

const SORTS = {
  table: { takes: ".cube", called: "A .cube file", offer: "Choose a .cube file", post: "/api/tables" },
  font: { takes: ".ttf,.otf", called: "A font file", offer: "Choose a .ttf or .otf file", post: "/api/fonts" },
} as const;

/** Something a file was brought for, a table of colours or a font; the name of the one that is used. */
export function StoredFile({ of, path, owner }: { of: keyof typeof SORTS; path: string; owner: string }) {
  const { takes, called, offer, post } = SORTS[of];
  const { commit, say } = usePick("commit", "say");
  const used = useBench((s) => (s.shot ? (at(s.shot, path) as unknown as { name: string } | null) : null));
  const set = (label: string, value: unknown) => void commit(label, [{ op: "replace", path, value }]);
  const take = async (file: File) => {
    try {
      const body = { file: file as unknown as string };
      const { stored, name } = await got<{ stored: string; name: string }>(
        api.POST(post, { body, bodySerializer: asForm }),
      );
      set(`lay ${name} on ${owner}`, { stored, name });
    } catch (error) {
      say((error as Error).message);
    }
  };
  return (
    <span className="flex min-w-0 flex-1 items-center gap-1.5">
      <FileButton takes={takes} called={called} take={(file) => void take(file)}>
        {used?.name ?? offer}
      </FileButton>
      {used && (
        <button className="btn" onClick={() => set(`take ${used.name} off ${owner}`, null)}>
          Take it off
        </button>
      )}
    </span>
  );
}

/** Offers to lay a look from a file on a layer. */
export function LookFile({ layer }: { layer: Layer }) {
  const say = useBench((s) => s.say);
  const take = async (file: File) => {
    const path = { shot_id: useBench.getState().id!, layer_id: layer.id };
    try {
      await useBench.getState().landed();
      const body = { file: file as unknown as string };
      await got(
        api.POST("/api/shots/{shot_id}/layers/{layer_id}/look", { params: { path }, body, bodySerializer: asForm }),
      );
      await useBench.getState().catchUp();
    } catch (error) {
      say((error as Error).message);
    }
  };
  return (
    <FileButton takes=".cube,.cdl,.ccc,.cc" called="A look from a file" take={(file) => void take(file)}>
      A look from a file
    </FileButton>
  );
}

/** A button that asks for one file. */
function FileButton({ takes, called, take, children }: FileButtonProps) {
  return (
    <label className="btn min-w-0 cursor-pointer truncate focus-within:border-brass">
      {children}
      <input
        type="file"
        accept={takes}
        aria-label={called}
        className="sr-only"
        onChange={(e) => {
          const file = e.target.files?.[0];
          e.target.value = "";
          if (file) take(file);
        }}
      />
    </label>
  );
}

interface FileButtonProps {
  takes: string;
  called: string;
  take: (file: File) => void;
  children: React.ReactNode;
}
