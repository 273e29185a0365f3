/** Which view the address names. */
import { useSyncExternalStore } from "react";

const listeners = new Set<() => void>();
const tell = () => listeners.forEach((l) => l());
window.addEventListener("popstate", tell);

export function go(path: string): void {
  history.pushState(null, "", path);
  tell();
}

export function usePath(): string {
  return useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => location.pathname,
  );
}
