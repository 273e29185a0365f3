/** Text of one of several choices that stand side by side. */
export const chosenText = (chosen: boolean) => (chosen ? "bg-raised text-ink" : "text-quiet hover:text-ink");
