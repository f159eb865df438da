export { FACES, type Face } from "./useWorkbenchCommands";
export { Workbench, type WorkbenchState } from "./Workbench";
