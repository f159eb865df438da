export { Workbench } from "./Workbench";
export type { WorkbenchState } from "./model";
