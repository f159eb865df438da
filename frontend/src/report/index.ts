export type { ReportState } from "./model";
export { ReportPlace } from "./ReportPlace";
