import { useState } from "react";
import { api, got, queries } from "../api/client";
import type { Run } from "../document/types";
import { isMatteView, useBench, usePick } from "../state/bench";
import { Choose } from "../ui/Choose";

const FORMATS = [
  ["h264", "H.264 film (MP4), with the plate's sound"],
  ["prores4444", "ProRes 4444 film (MOV), with alpha and sound"],
  ["png", "PNG pictures, 16 bit, with alpha"],
  ["exr", "EXR pictures, half float, linear, with alpha"],
] as const;

export function RenderForm({ close }: { close: () => void }) {
  const { id, base: shot, say } = usePick("id", "base", "say");
  const [format, setFormat] = useState<(typeof FORMATS)[number][0]>("h264");
  const [range, setRange] = useState<[string, string]>([String(shot?.trim[0] ?? 0), String(shot?.trim[1] ?? 0)]);
  const [scale, setScale] = useState(1);
  const chosen = useBench((s) => (s.selection.kind === "matte" && isMatteView(s.view) ? s.selection.id : ""));
  const [matte, setMatte] = useState(chosen);
  const [problem, setProblem] = useState("");
  if (!shot || !id) return null;
  const start = async () => {
    try {
      await useBench.getState().landed();
      await got<Run>(
        api.POST("/api/shots/{shot_id}/renders", {
          params: { path: { shot_id: id } },
          body: { format, first: Number(range[0]), last: Number(range[1]), scale, matte: matte || null },
        }),
      );
      await queries.invalidateQueries({ queryKey: ["runs"] });
      close();
      say("The render has begun. Its progress is in the list of work; the finished film is under Renders.", "info");
    } catch (error) {
      setProblem((error as Error).message);
    }
  };
  const size = shot.size.map((s) => Math.round(s * scale)).join(" × ");
  return (
    <form
      className="flex flex-col gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        void start();
      }}
    >
      {Object.keys(shot.mattes).length > 0 && (
        <div className="flex items-center gap-2">
          What
          <Choose
            label="What"
            value={matte}
            choices={[
              { id: "", label: "the picture" },
              ...Object.values(shot.mattes).map((m) => ({ id: m.id, label: `only the matte ${m.name}` })),
            ]}
            set={setMatte}
          />
        </div>
      )}
      <fieldset className="flex flex-col gap-1">
        <legend className="mb-1 text-quiet">Format</legend>
        {FORMATS.map(([k, label]) => (
          <label key={k} className="flex items-center gap-2">
            <input
              type="radio"
              name="format"
              checked={format === k}
              onChange={() => setFormat(k)}
              className="accent-[#c7a252]"
            />
            {label}
          </label>
        ))}
      </fieldset>
      <div className="flex items-center gap-2">
        <label className="flex items-center gap-2">
          From{" "}
          <input
            className="field mono w-20"
            inputMode="numeric"
            value={range[0]}
            onChange={(e) => setRange([e.target.value, range[1]])}
          />
        </label>
        <label className="flex items-center gap-2">
          to{" "}
          <input
            className="field mono w-20"
            inputMode="numeric"
            value={range[1]}
            onChange={(e) => setRange([range[0], e.target.value])}
          />
        </label>
        <span className="text-quiet">both included</span>
      </div>
      <div className="flex items-center gap-2">
        Size
        <Choose
          label="Size"
          value={String(scale)}
          choices={[0.25, 0.5, 1].map((s) => ({ id: String(s), label: `${s * 100} %` }))}
          set={(s) => setScale(Number(s))}
        />
        <span className="mono text-quiet">{size}</span>
      </div>
      {problem && (
        <p role="alert" className="text-warn">
          {problem}
        </p>
      )}
      <div className="flex justify-end gap-2">
        <button type="button" className="btn" onClick={close}>
          Not now
        </button>
        <button className="btn btn-main">Start the render</button>
      </div>
    </form>
  );
}
