/** Files on their way to the server, and what is to happen when they are in. */
import { create } from "zustand";
import { queries, upload } from "../api/client";
import { useBench } from "./bench";

export interface Upload {
  id: string;
  name: string;
  share: number;
  stop: () => void;
}
interface Uploads {
  list: Upload[];
  /** Send files as one piece of footage; pictures of one kind make a sequence, other files go one by one. */
  send: (files: File[], makeShot: boolean) => Promise<void>;
}

const PICTURE = /\.(png|jpe?g|tiff?|webp|exr)$/i;

/** How dropped files go together: pictures of one kind as a sequence, the rest one by one. */
export function together(files: File[]): File[][] {
  const groups = new Map<string, File[]>();
  const out: File[][] = [];
  for (const file of files) {
    const kind = PICTURE.exec(file.name)?.[1].toLowerCase();
    if (!kind) out.push([file]);
    else if (groups.has(kind)) groups.get(kind)!.push(file);
    else {
      groups.set(kind, [file]);
      out.push(groups.get(kind)!);
    }
  }
  return out;
}

export const useUploads = create<Uploads>((set) => {
  const one = async (files: File[], makeShot: boolean) => {
    const id = crypto.randomUUID();
    const change = (part: Partial<Upload>) =>
      set((s) => ({ list: s.list.map((u) => (u.id === id ? { ...u, ...part } : u)) }));
    const name = files.length > 1 ? `${files[0].name} and ${files.length - 1} more` : files[0].name;
    set((s) => ({ list: [...s.list, { id, name, share: 0, stop: () => undefined }] }));
    try {
      await upload(
        files,
        makeShot,
        (share) => change({ share }),
        (stop) => change({ stop }),
      );
      await queries.invalidateQueries({ queryKey: ["runs"] });
    } catch (error) {
      useBench.getState().say((error as Error).message);
    } finally {
      set((s) => ({ list: s.list.filter((u) => u.id !== id) }));
    }
  };
  return {
    list: [],
    send: async (files, makeShot) => void (await Promise.all(together(files).map((group) => one(group, makeShot)))),
  };
});
