/** How the sentence's words look: one that can be changed, and one that is only offered. */
export const WORD = "font-semibold underline decoration-2 underline-offset-4 decoration-[#6b665c] hover:decoration-brass";
export const OFFER = "italic text-quiet underline decoration-dotted underline-offset-4 hover:text-ink";
