/** Words of a track's sentence that can be chosen anew. */
import { useAbout } from "../api/client";
import type { BodyTrack, Track } from "../document/types";
import { useBench, usePick } from "../state/bench";
import { Menu } from "../ui/Menu";
import { OFFER, WORD } from "./words";

/** Which frames are followed: all of the trim, or those of the loop. */
export function OverWords({ over, set }: { over: "trim" | "loop"; set: (over: "trim" | "loop") => void }) {
  const { base: shot, loop } = usePick("base", "loop");
  const stretch = ([first, last]: [number, number]) => `${first} to ${last}`;
  const choices = [
    { id: "trim", label: "the trim", hint: stretch(shot!.trim), checked: over === "trim", act: () => set("trim") },
    {
      id: "loop",
      label: "the loop",
      hint: loop ? stretch(loop) : "I and O set one",
      checked: over === "loop",
      act: () => set("loop"),
      off: !loop,
    },
  ];
  return (
    <p className="py-1">
      through{" "}
      <Menu
        className={WORD}
        label="Which frames are followed"
        trigger={over === "loop" ? `the loop, ${stretch(loop!)}` : "the trim"}
        choices={choices}
      />
    </p>
  );
}

/** What of the picture does not count while it is tracked. */
export function IgnoreWords({ track }: { track: Track }) {
  const { base: shot, commit } = usePick("base", "commit");
  if (!shot) return null;
  const path = `/tracks/${track.id}`;
  const set = (matte: string | null, side: Track["ignore_side"]) =>
    void commit(
      matte
        ? `let ${track.name} ignore what is ${side} ${shot.mattes[matte].name}`
        : `let ${track.name} ignore nothing`,
      [
        { op: "replace", path: `${path}/ignore`, value: matte },
        { op: "replace", path: `${path}/ignore_side`, value: side },
      ],
    );
  const name = track.ignore ? (shot.mattes[track.ignore]?.name ?? "?") : "";
  const choices = Object.values(shot.mattes).flatMap((m) =>
    (["inside", "outside"] as const).map((side) => ({
      id: `${m.id} ${side}`,
      label: `what is ${side} ${m.name}`,
      checked: track.ignore === m.id && track.ignore_side === side,
      act: () => set(m.id, side),
    })),
  );
  if (!choices.length) return <i className="text-quiet">ignores nothing (no mattes)</i>;
  return (
    <>
      {track.ignore ? <>ignores what is {track.ignore_side} </> : ""}
      <Menu
        className={track.ignore ? `${WORD} decoration-matte!` : OFFER}
        label="What of the picture does not count"
        trigger={track.ignore ? name : "ignores nothing yet"}
        choices={[...choices, { id: "none", label: "nothing", checked: !track.ignore, act: () => set(null, "inside") }]}
      />
    </>
  );
}

/** Which part of a body is followed. */
export function PartMenu({ track }: { track: BodyTrack }) {
  const commit = useBench((s) => s.commit);
  const parts = useAbout().data?.body_parts ?? [];
  return (
    <Menu
      className={WORD}
      label="Which part"
      trigger={track.part}
      choices={parts.map((p) => ({
        id: p,
        label: p,
        checked: p === track.part,
        act: () =>
          void commit(`follow the ${p} with ${track.name}`, [
            { op: "replace", path: `/tracks/${track.id}/part`, value: p },
          ]),
      }))}
    />
  );
}

/** Whose motion fills the frames in which it is lost. */
export function BridgeWords({ track }: { track: Track }) {
  const { base: shot, commit } = usePick("base", "commit");
  if (!shot) return null;
  const others = Object.values(shot.tracks).filter((t) => t.id !== track.id && t.samples && t.kind !== "camera");
  const set = (id: string | null) =>
    void commit(id ? `bridge ${track.name} by ${shot.tracks[id].name}` : `bridge ${track.name} by no other`, [
      { op: "replace", path: `/tracks/${track.id}/bridge`, value: id },
    ]);
  return (
    <>
      {track.bridge ? "its gaps carried by " : ""}
      <Menu
        className={track.bridge ? `${WORD} decoration-track!` : OFFER}
        label="Whose motion fills its gaps"
        trigger={track.bridge ? (shot.tracks[track.bridge]?.name ?? "?") : "its gaps carried by no other track"}
        choices={[
          ...others.map((t) => ({
            id: t.id,
            label: t.name,
            hint: t.kind,
            checked: t.id === track.bridge,
            act: () => set(t.id),
          })),
          { id: "none", label: "no other", checked: !track.bridge, act: () => set(null) },
        ]}
      />
    </>
  );
}
