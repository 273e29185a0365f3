import { useBench, type Selection } from "../state/bench";
import { WORD } from "./words";

/** Names of other things in a sentence; each leads to what it names. */
export function NameWords({ of }: { of: { what: string; of: Selection }[] }) {
  const select = useBench((s) => s.select);
  return (
    <>
      {of.map((n, i) => (
        <span key={`${n.what} ${i}`}>
          {i > 0 && ", "}
          <button className={WORD} onClick={() => select(n.of)}>
            {n.what}
          </button>
        </span>
      ))}
    </>
  );
}
