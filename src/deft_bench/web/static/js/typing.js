// Whether single letters act in this shop, and whether a key is meant for a box. It does nothing by itself: other scripts take it in.

export const letters = document.body.dataset.letters !== "no";

export const typing = (target) =>
  target.matches?.("input:not([type=checkbox]):not([type=radio]):not([type=range]), textarea, select") && !(target.id === "reading" && !target.value);
