/** The page's one WebSocket: events in, picture requests out, pictures in. Reconnects by itself. */
import { useConnection } from "./state";

export type Event =
  | { kind: "edit"; shot: string; revision: number; client: string; work: boolean; label: string }
  | { kind: "run"; run: string; track?: string; samples?: [number, number, number, number, number][] }
  | { kind: "shots" | "shelf" }
  | { kind: "away" | "back" } // the database
  | { kind: "again" }; // the connection is back: what was missed must be asked for
export interface Wanted {
  shot: string; revision: number; overlay: object[]; frame: number; scale: number; view: string; matte: string; variant: string;
  draft: boolean; channel: string | null;
}
interface Waiting { resolve: (jpeg: Blob | null) => void; reject: (error: Error) => void }

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
        if (this.lost) for (const listener of this.listeners) listener({ kind: "again" });
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
      this.take(id)?.resolve(new Blob([data.slice(4)], { type: "image/jpeg" }));
      return;
    }
    const message = JSON.parse(data) as { event?: Event; ask?: number; error?: string; superseded?: boolean };
    if (message.event?.kind === "away") useConnection.getState().set("away");
    if (message.event?.kind === "back") useConnection.getState().set("there");
    if (message.event) for (const listener of this.listeners) listener(message.event);
    if (message.ask === undefined) return;
    const waiting = this.take(message.ask);
    if (message.superseded) waiting?.resolve(null);
    else if (message.error) waiting?.reject(new Error(message.error));
  }

  private take(id: number): Waiting | undefined {
    const waiting = this.waiting.get(id);
    this.waiting.delete(id);
    return waiting;
  }

  /** A JPEG, or null when a newer request on the same channel took its place. */
  async ask(wanted: Wanted): Promise<Blob | null> {
    await this.connect();
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
