import { Circle, Hand, PenLine, Spline, Square, Scissors, VenetianMask } from "lucide-react";
import { cutBy } from "../document/mattes";
import { type ShapeTool, usePick } from "../state/bench";
import { Tip } from "../ui/Tip";
import { take } from "../tools/actions";
import { takePen } from "../tools/cutouts";
import { startDrag } from "../stack/drops";
import { piecesIn } from "../document/pieces";
import { keyScreen } from "../tools/shaping";
import { hasPicture } from "../document/layers";

const DRAW: { tool: ShapeTool; title: string; keys: string; icon: typeof Circle }[] = [
  { tool: "outline", title: "Draw an outline", keys: "M", icon: Spline },
  { tool: "rectangle", title: "Draw a rectangle", keys: "⇧M", icon: Square },
  { tool: "ellipse", title: "Draw an ellipse", keys: "E", icon: Circle },
  { tool: "freehand", title: "Draw by hand", keys: "⇧E", icon: Hand },
  { tool: "stroke", title: "Draw a stroke", keys: "B", icon: PenLine },
];

/** The shot's mattes; drag one onto a pane to cut it. */
export function MattesDrawer() {
  const { base: shot, selection, select, tool } = usePick("base", "selection", "select", "tool");
  const mattes = Object.values(shot?.mattes ?? {});
  const layer = selection.kind === "layer" ? shot?.layers[selection.id] : undefined;
  return (
    <div className="flex min-h-0 flex-1 flex-col gap-1 overflow-y-auto p-2">
      {mattes.map((m) => {
        const cuts = cutBy(shot!, m.id);
        const chosen = selection.kind === "matte" && selection.id === m.id;
        return (
          <button
            key={m.id}
            draggable
            onDragStart={(e) => startDrag(e, { kind: "matte", id: m.id })}
            onClick={() => select({ kind: "matte", id: m.id })}
            aria-pressed={chosen}
            className="drawer-row"
          >
            <VenetianMask size={14} className="shrink-0 text-matte" />
            <span className="min-w-0 flex-1">
              <span className="block truncate">{m.name}</span>
              <span className="block truncate text-small text-quiet">
                {piecesIn(m)} · {cuts.length ? `cuts ${cuts.map((c) => c.what).join(", ")}` : "cuts nothing yet"}
              </span>
            </span>
          </button>
        );
      })}
      {!mattes.length && (
        <p className="px-1 py-2 text-quiet">
          No mattes yet. Draw a shape in the picture, or key a screen. Then drag the matte onto a pane: what lies inside
          of it stays.
        </p>
      )}
      {DRAW.map(({ tool: kind, title, keys, icon: Icon }) => (
        <Tip key={kind} text={selection.kind === "matte" ? `${title} into the selected matte` : title} keys={keys}>
          <button className="btn flex items-center gap-2" aria-pressed={tool === kind} onClick={() => take(kind)}>
            <Icon size={14} className="text-matte" /> {title}
          </button>
        </Tip>
      ))}
      <Tip text="By strokes over what is kept and what is not" keys="D">
        <button
          className="btn flex items-center gap-2"
          aria-pressed={tool === "keep"}
          onClick={() => void takePen("keep")}
        >
          <Scissors size={14} className="text-matte" /> Cut out a subject
        </button>
      </Tip>
      {hasPicture(layer) && layer.id !== shot?.plate && (
        <button className="btn flex items-center gap-2" onClick={() => void takePen("keep", layer)}>
          <Scissors size={14} className="text-matte" /> Cut out of {layer.name}
        </button>
      )}
      {hasPicture(layer) && (
        <Tip text="Cut the selected layer by the screen its subject stands before">
          <button className="btn flex items-center gap-2" onClick={() => void keyScreen(layer.id)}>
            <VenetianMask size={14} className="text-matte" /> Key the screen of {layer.name}
          </button>
        </Tip>
      )}
    </div>
  );
}
