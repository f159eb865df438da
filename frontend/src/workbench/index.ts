export { Workbench } from "./Workbench";
