/** How the sentence's words look: one that can be changed, and one that is only offered. */
export const WORD =
  "font-semibold underline decoration-2 underline-offset-4 decoration-[#6b665c] hover:decoration-brass";
export const OFFER = "italic text-quiet underline decoration-dotted underline-offset-4 hover:text-ink";

/** What a ride does in frames where its track is lost: as part of the sentence, and as a choice. */
export const GAPS = {
  bridge: ["bridging gaps", "bridge gaps in a straight line"],
  coast: ["coasting through gaps", "go on through gaps with the speed it had"],
  hold: ["holding in gaps", "hold still in gaps"],
  hide: ["hidden in gaps", "hide in gaps"],
} as const;
