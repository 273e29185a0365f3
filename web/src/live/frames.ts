/**
 * Pictures kept as bitmaps, ready to draw, up to a number of bytes; the longest unused are dropped first.
 *
 * A picture is kept by its key, which says what went into it: what an edit does not change stays. Under which key a frame is to be
 * had, looked at in one way at one revision, is noted by name.
 */
const LIMIT_BYTES = 700 * 1024 * 1024;
const MOST_NAMES = 40_000;
const KEYS_OF_A_FRAME = 24; // that are remembered, newest last
const GIVE_BACK_MS = 1000;

export class FrameCache {
  private kept = new Map<string, ImageBitmap>();
  private names = new Map<string, string>();
  private known = new Map<string, string[]>();
  private shown = new Map<string, ImageBitmap>();
  private bytes = 0;
  private limit: number;
  /** Counts changes, so that views of what is cached know when to look again. */
  changes = 0;
  /** The scale pictures are shown at just now. */
  lastScale = 1;

  constructor(limit = LIMIT_BYTES) {
    this.limit = limit;
  }

  /** The picture of a name. */
  get(name: string): ImageBitmap | undefined {
    const key = this.names.get(name);
    return key === undefined ? undefined : this.ofKey(key);
  }

  ofKey(key: string): ImageBitmap | undefined {
    const bitmap = this.kept.get(key);
    if (bitmap) {
      this.kept.delete(key);
      this.kept.set(key, bitmap);
    }
    return bitmap;
  }

  has(name: string): boolean {
    const key = this.names.get(name);
    return key !== undefined && this.kept.has(key);
  }

  named(name: string): boolean {
    return this.names.has(name);
  }

  /** Say under which key a name's picture is to be had; `look` names the same at any revision. No name: of no revision that is stored. */
  name(name: string | null, look: string, key: string): void {
    if (name !== null) {
      this.names.delete(name);
      this.names.set(name, key);
    }
    const keys = (this.known.get(look) ?? []).filter((k) => k !== key);
    this.known.set(look, [...keys, key].slice(-KEYS_OF_A_FRAME));
    this.changes += 1;
    if (this.names.size > MOST_NAMES) this.names.delete(this.names.keys().next().value!);
  }

  /** Keys of the pictures that are kept of a frame looked at so, at whatever revision. */
  keysOf(look: string): string[] {
    return (this.known.get(look) ?? []).filter((k) => this.kept.has(k));
  }

  put(name: string | null, look: string, key: string, bitmap: ImageBitmap): void {
    this.name(name, look, key);
    this.drop(key);
    this.kept.set(key, bitmap);
    this.bytes += bitmap.width * bitmap.height * 4;
    for (const old of this.kept.keys()) {
      if (this.bytes <= this.limit || old === key) break;
      this.drop(old);
    }
  }

  /** A picture is on screen now, in place of the one before: that is given back unless it is kept. */
  show(channel: string, bitmap: ImageBitmap): void {
    const before = this.shown.get(channel);
    this.shown.set(channel, bitmap);
    if (before && before !== bitmap) this.giveBack(before);
  }

  private drop(key: string): void {
    const old = this.kept.get(key);
    if (!old) return;
    this.bytes -= old.width * old.height * 4;
    this.kept.delete(key);
    this.giveBack(old);
  }

  /** Its memory, once nothing shows it any more: a picture may still be drawn until the next one is. */
  private giveBack(bitmap: ImageBitmap): void {
    setTimeout(() => {
      if (![...this.shown.values(), ...this.kept.values()].includes(bitmap)) bitmap.close();
    }, GIVE_BACK_MS);
  }
}

export const frames = new FrameCache();
