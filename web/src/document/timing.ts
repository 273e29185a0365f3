/** Which frame of its footage a layer shows, as the server works it out, and back. */
import { sample } from "./animate";
import type { Animated, Layer, Shot } from "./types";
import { footageOf, hasPicture } from "./layers";

const rate = (text: string) =>
  text
    .split("/")
    .map(Number)
    .reduce((a, b) => a / b);

/** How far footage has run since the first key of its speed: the sum of the speeds of the frames in between. */
function run(speed: Animated<number>, frame: number): number {
  const keys = speed.keys;
  const [first, last] = [keys[0].frame, keys.at(-1)!.frame];
  if (frame <= first) return (frame - first) * keys[0].value;
  let sum = 0;
  for (let f = first; f < Math.min(frame, last); f += 1) sum += sample(speed, f + 0.5);
  return sum + Math.max(0, frame - last) * keys.at(-1)!.value;
}

/** The frame of a layer's footage at a frame of the shot; not bounded by the footage's ends. */
export function footageFrame(shot: Shot, layer: Layer, frame: number): number {
  const footage = shot.footage[footageOf(layer) ?? ""];
  const { speed, start, position } = layer.time;
  if (!footage) return frame;
  if (position) return Math.floor(sample(position, frame) + 1e-6);
  const begin = sample(speed, start) < 0 ? footage.frames - 1 : 0;
  const ran = speed.keys.length ? run(speed, frame) - run(speed, start) : (frame - start) * speed.value;
  return Math.floor(begin + (ran * rate(footage.rate)) / rate(shot.rate) + 1e-6);
}

/** The first frame of the shot at which a layer shows a frame of its footage, or the one nearest to it. */
export function shotFrame(shot: Shot, layer: Layer, index: number): number {
  const { speed, start, position } = layer.time;
  const footage = shot.footage[footageOf(layer) ?? ""];
  if (!footage || (!position && !speed.keys.length && speed.value === 1 && rate(footage.rate) === rate(shot.rate)))
    return index + start;
  let best = [Infinity, start];
  for (let f = 0; f < shot.frames; f += 1) {
    const away = Math.abs(footageFrame(shot, layer, f) - index);
    if (away < best[0]) best = [away, f];
  }
  return best[1];
}

/** The plate's own frame at a frame of the shot: what tracks of the plate count in. */
export function plateFrame(shot: Shot | null, frame: number): number {
  const plate = shot?.plate ? shot.layers[shot.plate] : undefined;
  return shot && hasPicture(plate) ? footageFrame(shot, plate, frame) : frame;
}

/** Where a frame of the plate lies in the shot. */
export function fromPlateFrame(shot: Shot | null, index: number): number {
  const plate = shot?.plate ? shot.layers[shot.plate] : undefined;
  return shot && hasPicture(plate) ? shotFrame(shot, plate, index) : index;
}

/** The plate's own frames that a stretch of the shot shows, first and last: what lies between is followed too. */
export function plateStretch(shot: Shot, [first, last]: [number, number]): [number, number] {
  const shown = Array.from({ length: last - first + 1 }, (_, i) => plateFrame(shot, first + i));
  return [Math.min(...shown), Math.max(...shown)];
}
