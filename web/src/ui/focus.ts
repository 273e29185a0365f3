/**
 * What closes gives the focus back to what opened it, unless something opened since has taken it: a key pressed
 * at once is meant for that.
 */
export function keepFocus(e: Event): void {
  if (document.activeElement && document.activeElement !== document.body) e.preventDefault();
}
