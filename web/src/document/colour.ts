/** Linear light, and what a display shows of it. */
const encoded = (v: number) => (v <= 0.0031308 ? 12.92 * v : 1.055 * Math.min(v, 1) ** (1 / 2.4) - 0.055);
export const decoded = (v: number) => (v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4);

/** As a display has it, 0 to 255. */
export const bytes = (linear: number[]) => linear.map((v) => Math.round(255 * encoded(Math.min(Math.max(v, 0), 1))));

/** As a style has it. */
export const shownAs = (linear: number[]) => `rgb(${bytes(linear).join(" ")})`;

/** Display values, 0 to 1, as a style has them. */
export const styleOf = (display: number[]) =>
  `rgb(${display.map((v) => Math.round(255 * Math.min(Math.max(v, 0), 1))).join(" ")})`;

/** As a colour field has it, and back. */
export const toHex = (linear: number[]) =>
  `#${bytes(linear)
    .map((v) => v.toString(16).padStart(2, "0"))
    .join("")}`;
export const fromHex = (h: string) =>
  [1, 3, 5].map((i) => Number(decoded(parseInt(h.slice(i, i + 2), 16) / 255).toFixed(4)));
