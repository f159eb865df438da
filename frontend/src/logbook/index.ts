export { Logbook } from "./Logbook";
export type { LogbookState } from "./model";
