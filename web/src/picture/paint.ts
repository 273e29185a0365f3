/** Drawing a picture on the viewer's canvas, part of the plate over it where the two are compared. */
import { useCallback, useEffect, useRef } from "react";
import type { Vec2 } from "../document/types";

/** Where the picture lies. */
export interface Laid {
  room: Vec2;
  origin: Vec2;
  size: Vec2;
  scale: number;
  /** What lies over the picture from the line on, if anything. */
  other: ImageBitmap | null;
  line: number;
}

function paint(canvas: HTMLCanvasElement | null, laid: Laid, picture: ImageBitmap | null): void {
  const context = canvas?.getContext("2d", { alpha: false });
  if (!context || !canvas) return;
  const { room, origin, scale, other } = laid;
  const [w, h] = [laid.size[0] * scale, laid.size[1] * scale];
  const dpr = window.devicePixelRatio;
  const [across, down] = [Math.round(room[0] * dpr), Math.round(room[1] * dpr)];
  if (canvas.width !== across || canvas.height !== down) [canvas.width, canvas.height] = [across, down];
  context.setTransform(dpr, 0, 0, dpr, 0, 0);
  context.fillStyle = "#1b1b1b";
  context.fillRect(0, 0, room[0], room[1]);
  context.imageSmoothingEnabled = scale < 3;
  if (picture) context.drawImage(picture, origin[0], origin[1], w, h);
  if (!other) return;
  const x = origin[0] + w * laid.line;
  context.save();
  context.beginPath();
  context.rect(x, origin[1], origin[0] + w - x, h);
  context.clip();
  context.drawImage(other, origin[0], origin[1], w, h);
  context.restore();
}

/** A canvas, and what paints a picture on it: at once, and the last one anew whenever it lies elsewhere. */
export function usePaint(laid: Laid) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const last = useRef<ImageBitmap | null>(null);
  const lies = useRef(laid);
  useEffect(() => {
    lies.current = laid;
    paint(canvas.current, laid, last.current);
  }, [laid]);
  const painted = useCallback((picture: ImageBitmap) => {
    last.current = picture;
    paint(canvas.current, lies.current, picture);
  }, []);
  return { canvas, painted };
}
