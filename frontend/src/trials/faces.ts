/** What can be done with a setup in the Trials, in the order of its tabs. */
export const FACES = [
  { face: "sweep", label: "Sweep" },
  { face: "walk", label: "Walk-forward" },
  { face: "search", label: "Signal search" },
  { face: "study", label: "Study" },
  { face: "basket", label: "Basket" },
  { face: "doubt", label: "Doubt" },
] as const;
export type Face = (typeof FACES)[number]["face"];
