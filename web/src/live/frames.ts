/** Pictures kept as bitmaps, ready to draw, up to a number of bytes; the longest unused are dropped first. */
const LIMIT_BYTES = 700 * 1024 * 1024;

const GIVE_BACK_MS = 1000;

export class FrameCache {
  private kept = new Map<string, ImageBitmap>();
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

  get(key: string): ImageBitmap | undefined {
    const bitmap = this.kept.get(key);
    if (bitmap) {
      this.kept.delete(key);
      this.kept.set(key, bitmap);
    }
    return bitmap;
  }

  has(key: string): boolean {
    return this.kept.has(key);
  }

  put(key: string, bitmap: ImageBitmap): void {
    this.drop(key);
    this.kept.set(key, bitmap);
    this.bytes += bitmap.width * bitmap.height * 4;
    this.changes += 1;
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
