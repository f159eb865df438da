export * from "./format";
export * from "./Picker";
export * from "./Said";
export * from "./States";
export * from "./theme";
