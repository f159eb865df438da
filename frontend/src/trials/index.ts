export { Trials } from "./Trials";
export { FACES, type TrialsState } from "./model";
