/** Whether the server, and the database behind it, can be reached just now. */
import { create } from "zustand";

export type Reach = "there" | "lost" | "away";
interface Connection {
  reach: Reach;
  set: (reach: Reach) => void;
}

export const useConnection = create<Connection>((set) => ({ reach: "there", set: (reach) => set({ reach }) }));

export const REACH_WORDS: Record<Exclude<Reach, "there">, string> = {
  lost: "The server does not answer. It is tried again; what you change meanwhile is kept here and sent then.",
  away: "The server cannot reach its database. It is tried again; what you change meanwhile is kept here and sent then.",
};
