/** A JSON Patch on a document that others hold too: what it does not touch stays the very same. */
import { applyOperation, type Operation } from "fast-json-patch";
import type { Op } from "./types";

type Node = Record<string, unknown> | unknown[];

/** The patched document; throws where an operation does not fit. */
export function patched<T extends object>(document: T, ops: Op[]): T {
  if (!ops.length) return document;
  const fresh = new Set<unknown>();
  const own = (node: Node): Node => {
    if (fresh.has(node)) return node;
    const copy = Array.isArray(node) ? [...node] : { ...node };
    fresh.add(copy);
    return copy;
  };
  const root = { it: own(document as unknown as Node) };
  for (const op of ops) {
    for (const pointer of [op.path, ...("from" in op ? [op.from as string] : [])]) openUp(root, pointer, own);
    root.it = applyOperation(root.it, structuredClone(op) as Operation, true, true).newDocument as Node;
  }
  return root.it as unknown as T;
}

/** Every container on the way to a pointer becomes a copy of our own. */
function openUp(root: { it: Node }, pointer: string, own: (node: Node) => Node): void {
  let node = (root.it = own(root.it)) as Record<string, unknown>;
  for (const part of pointer.split("/").slice(1, -1)) {
    const key = part.replaceAll("~1", "/").replaceAll("~0", "~");
    const inner = node[key];
    if (typeof inner !== "object" || inner === null) return; // the operation will say that it does not fit
    node = (node[key] = own(inner as Node)) as Record<string, unknown>;
  }
}
