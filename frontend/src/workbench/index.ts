export { keepSight } from "./chart/sight";
export { FACES, type Face } from "./useWorkbenchCommands";
export type { WorkbenchState } from "./useBench";
export { Workbench } from "./Workbench";
