export { Markets } from "./Markets";
