export { Trials } from "./Trials";
export type { TrialsState } from "./model";
