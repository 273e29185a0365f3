/** What a click in the picture does. */
import type { Vec2 } from "../document/types";
import type { Part } from "./bench";

/**
 * Handles; a new track, or one more point of one; a new shape; the colour of a screen, or any other; places that
 * should look alike; a part of the plate.
 */
export type ShapeTool = "outline" | "rectangle" | "ellipse" | "freehand" | "stroke";
export type Tool =
  | "move"
  | "point"
  | "plane"
  | "object"
  | "face"
  | "more"
  | ShapeTool
  | "screen"
  | "pick"
  | "pair"
  | "region"
  | "part"
  | "spot"
  | "keep"
  | "remove";
export const SHAPE_TOOLS: readonly ShapeTool[] = ["outline", "rectangle", "ellipse", "freehand", "stroke"];
export const isShapeTool = (tool: Tool): tool is ShapeTool => (SHAPE_TOOLS as readonly Tool[]).includes(tool);

export interface Tools {
  tool: Tool;
  /** How wide the pen of a cut-out is, in shot pixels. */
  brush: number;
  /** Corners clicked so far. */
  drawn: Vec2[];
  /** What the next shape is for, when it was asked for from there: pointer of the list of cuts that it will stand in. */
  cutFor: string | null;
  /** The colour a click in the picture is for: its pointer, and what it is called. */
  pickFor: { path: string; label: string } | null;
}

export const FRESH_TOOLS = { tool: "move", drawn: [], cutFor: null, pickFor: null } satisfies Partial<Tools>;

export const tools: Part<Tools> = () => ({ ...FRESH_TOOLS, brush: 16 });
