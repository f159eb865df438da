export { FACES, type Face } from "./useWorkbenchCommands";
export type { WorkbenchState } from "./useBench";
export { Workbench } from "./Workbench";
