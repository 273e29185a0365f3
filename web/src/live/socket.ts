/** The page's one WebSocket: events in, picture requests out, pictures in. Reconnects by itself. */
import { useConnection } from "./state";

export type Event =
  | { kind: "edit"; shot: string; revision: number; client: string; work: boolean; label: string }
  | { kind: "run"; run: string; track?: string; samples?: [number, number, number, number, number][] }
  | { kind: "shots" | "shelf" }
  | { kind: "away" | "back" } // the database
  | { kind: "open" } // the connection stands: what happened before it did was not heard
  | { kind: "again" }; // it is back: what was missed must be asked for
/** A way to look at a shot, as core/compose/look.py has it. */
export interface Look {
  of?: "shot" | "plate" | "layer" | "source";
  layer?: string;
  without?: string;
  effect?: string;
  view?: string;
  matte?: string;
  checker?: boolean;
}
interface Looking {
  shot: string;
  revision: number;
  scale: number;
  look: Look;
}
export interface Wanted extends Looking {
  overlay: object[];
  frame: number;
  draft: boolean;
  channel: string | null;
  /** Keys of pictures that are here: none of them need be sent. */
  have: string[];
}
/** A picture and its key; no picture where the page has it. Keys of other frames. */
interface Answer {
  key: string;
  jpeg: Blob | null;
  keys?: Record<string, string>;
}
interface Waiting {
  resolve: (answer: Answer | null) => void;
  reject: (error: Error) => void;
}
const KEY_BYTES = 12;
const hex = (bytes: Uint8Array) => Array.from(bytes, (b) => b.toString(16).padStart(2, "0")).join("");

class LiveSocket {
  private socket: WebSocket | null = null;
  private next = 1;
  private waiting = new Map<number, Waiting>();
  private listeners = new Set<(event: Event) => void>();
  private opened: Promise<void> | null = null;
  private lost = false;

  private connect(): Promise<void> {
    if (this.opened) return this.opened;
    this.opened = new Promise((resolve) => {
      const socket = new WebSocket(`${location.protocol === "https:" ? "wss" : "ws"}://${location.host}/live`);
      socket.binaryType = "arraybuffer";
      socket.onopen = () => {
        resolve();
        useConnection.getState().set("there");
        for (const listener of this.listeners) listener({ kind: this.lost ? "again" : "open" });
        this.lost = false;
      };
      socket.onmessage = (message) => this.heard(message.data);
      socket.onclose = () => {
        for (const w of this.waiting.values()) w.reject(new Error("The connection was lost."));
        this.waiting.clear();
        this.opened = null;
        this.lost = true;
        useConnection.getState().set("lost");
        setTimeout(() => void this.connect(), 1000);
      };
      this.socket = socket;
    });
    return this.opened;
  }

  private heard(data: ArrayBuffer | string) {
    if (typeof data !== "string") {
      const id = new DataView(data).getUint32(0, true);
      const key = hex(new Uint8Array(data, 4, KEY_BYTES));
      this.take(id)?.resolve({ key, jpeg: new Blob([new Uint8Array(data, 4 + KEY_BYTES)], { type: "image/jpeg" }) });
      return;
    }
    const message = JSON.parse(data) as {
      event?: Event;
      ask?: number;
      error?: string;
      superseded?: boolean;
      same?: string;
      keys?: Record<string, string>;
    };
    if (message.event?.kind === "away") useConnection.getState().set("away");
    if (message.event?.kind === "back") useConnection.getState().set("there");
    if (message.event) for (const listener of this.listeners) listener(message.event);
    if (message.ask === undefined) return;
    const waiting = this.take(message.ask);
    if (message.superseded) waiting?.resolve(null);
    else if (message.same) waiting?.resolve({ key: message.same, jpeg: null });
    else if (message.keys) waiting?.resolve({ key: "", jpeg: null, keys: message.keys });
    else if (message.error) waiting?.reject(new Error(message.error));
  }

  private take(id: number): Waiting | undefined {
    const waiting = this.waiting.get(id);
    this.waiting.delete(id);
    return waiting;
  }

  /** A picture, or null when a newer request on the same channel took its place. */
  ask(wanted: Wanted): Promise<Answer | null> {
    return this.send(wanted);
  }

  /** The keys that pictures of some frames would have, looked at in one way. */
  async keys(wanted: Looking & { frames: number[] }): Promise<Record<string, string>> {
    return (await this.send(wanted))?.keys ?? {};
  }

  private async send(wanted: object): Promise<Answer | null> {
    // at once where the connection stands: whoever waits for a turn waits for the page to be drawn
    if (this.socket?.readyState !== WebSocket.OPEN) await this.connect();
    if (this.socket?.readyState !== WebSocket.OPEN) throw new Error("The connection was lost.");
    const ask = this.next++;
    return new Promise((resolve, reject) => {
      this.waiting.set(ask, { resolve, reject });
      this.socket!.send(JSON.stringify({ ask, ...wanted }));
    });
  }

  /** Hear events; returns how to stop. */
  listen(listener: (event: Event) => void): () => void {
    void this.connect();
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  }
}

export const live = new LiveSocket();
