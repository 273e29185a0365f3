import { Popover } from "radix-ui";
import { useState } from "react";
import { useAbout } from "../api/client";
import type { Ring } from "../document/depth";
import type { Layer, Control } from "../document/types";
import { usePick } from "../state/bench";
import { Menu } from "../ui/Menu";
import { Popped } from "../ui/Popped";
import { Scrub } from "../ui/Scrub";
import { ParamRow } from "./ParamRow";
import { OFFER, WORD } from "./words";
import { hasPicture, hasPlace } from "../document/layers";
import { Choose } from "../ui/Choose";

/** A place in depth: where in the scene, how turned, how wide, and whose camera sees it. */
export function DepthRows({ layer }: { layer: Layer }) {
  const { base: shot, commit } = usePick("base", "commit");
  const controls = useAbout().data?.depth ?? [];
  const depth = layer.place.depth;
  if (!shot || !depth) return null;
  const path = `/layers/${layer.id}/place/depth`;
  const above = layer.place.hang ? shot.layers[layer.place.hang.layer] : undefined;
  const held = above !== undefined && hasPlace(above) && above.place.depth !== null;
  const cameras = Object.values(shot.tracks).filter((t) => t.kind === "camera" && t.samples);
  const put = (label: string, field: string, value: unknown) =>
    void commit(`${label} ${layer.name}`, [{ op: "replace", path: `${path}/${field}`, value }]);
  return (
    <>
      <p className="py-1 leading-6">
        In depth,{" "}
        {held ? (
          <>
            with <b>{above.name}</b>
          </>
        ) : (
          <>
            seen by{" "}
            <Menu
              className={WORD}
              label="Whose camera sees it"
              trigger={depth.track ? (shot.tracks[depth.track]?.name ?? "?") : "a still camera"}
              choices={[
                {
                  id: "still",
                  label: "a still camera before the frame",
                  checked: !depth.track,
                  act: () => put("see by a still camera", "track", null),
                },
                ...cameras.map((t) => ({
                  id: t.id,
                  label: t.name,
                  hint: "solved",
                  checked: depth.track === t.id,
                  act: () => put(`lie in the scene of ${t.name} with`, "track", t.id),
                })),
              ]}
            />
          </>
        )}
        , facing{" "}
        <Menu
          className={WORD}
          label="Which way it faces"
          trigger={depth.facing === "camera" ? "the camera" : "its own way"}
          choices={[
            {
              id: "own",
              label: "its own way",
              checked: depth.facing === "own",
              act: () => put("let face its own way:", "facing", "own"),
            },
            {
              id: "camera",
              label: "the camera, always",
              checked: depth.facing === "camera",
              act: () => put("let face the camera:", "facing", "camera"),
            },
          ]}
        />
        .
      </p>
      {controls
        .filter((c) => c.name === "position" || c.name === "rotation" || (hasPicture(layer) && c.name === "width"))
        .map((c) => (
          <ParamRow key={c.name} control={c as Control} path={`${path}/${c.name}`} owner={layer.name} />
        ))}
      <div className="py-1 pl-[30px]">
        <button
          className="btn py-0"
          onClick={() => void commit(`lay ${layer.name} flat`, [{ op: "replace", path, value: null }])}
        >
          Lay flat again
        </button>
      </div>
    </>
  );
}

/** Offers to put a flat layer in depth, or to make a ring of it. */
export function DepthOffers({ layer }: { layer: Layer }) {
  const { base: shot, give, frame } = usePick("base", "give", "frame");
  if (!shot) return null;
  const put = () => void give("put-in-depth", { layers: [layer.id], frame });
  return (
    <div className="flex flex-wrap items-center gap-1.5 py-1 pl-[30px]">
      <button className="btn py-0" onClick={put}>
        Put in depth
      </button>
      {hasPicture(layer) && <RingOffer layer={layer} />}
    </div>
  );
}

function RingOffer({ layer }: { layer: Layer }) {
  const { base: shot, give } = usePick("base", "give");
  const [ring, setRing] = useState<Ring>({
    count: 7,
    radius: Math.round((shot?.size[0] ?? 960) / 5),
    width: Math.round((shot?.size[0] ?? 960) / 7),
    tilt: -12,
    facing: "out",
  });
  if (!shot) return null;
  const row = (title: string, key: "count" | "radius" | "width" | "tilt", unit: string, hard: [number, number]) => (
    <div className="flex items-center gap-2">
      <span className="flex-1">{title}</span>
      <Scrub
        label={title}
        value={ring[key]}
        step={1}
        unit={unit}
        digits={0}
        hard={hard}
        onDrag={(v) => setRing({ ...ring, [key]: Math.round(v) })}
        onSet={(v) => setRing({ ...ring, [key]: Math.round(v) })}
      />
    </div>
  );
  const make = () => void give("ring", { layer: layer.id, ...ring });
  return (
    <Popover.Root>
      <Popover.Trigger className={`${OFFER} text-small`}>make a ring of it</Popover.Trigger>
      <Popped className="flex w-64 flex-col gap-1">
        {row("Cards", "count", "", [2, 60])}
        {row("Radius", "radius", "px", [1, 20000])}
        {row("Width of a card", "width", "px", [1, 20000])}
        {row("Tilt", "tilt", "°", [-90, 90])}
        <div className="flex items-center gap-2">
          <span className="flex-1">Facing</span>
          <Choose
            label="Facing"
            value={ring.facing}
            choices={[
              { id: "out", label: "out" },
              { id: "in", label: "in" },
              { id: "camera", label: "the camera" },
            ]}
            set={(facing) => setRing({ ...ring, facing })}
          />
        </div>
        <p className="text-small text-quiet">
          The layer becomes so many cards that hang from a carrier: key its Turn to spin them.
        </p>
        <Popover.Close asChild>
          <button className="btn btn-main mt-1" onClick={make}>
            Make the ring
          </button>
        </Popover.Close>
      </Popped>
    </Popover.Root>
  );
}
