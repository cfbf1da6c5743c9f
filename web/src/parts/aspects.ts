/** The optical aspects of a material, in the order in which they are shown. */
export const ASPECTS = ["body", "reflection", "transmission", "volume", "coat", "fuzz", "glow", "relief", "cut-out"];
