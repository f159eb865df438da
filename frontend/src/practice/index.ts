export { Practice } from "./Practice";
export type { PracticeState } from "./model";
