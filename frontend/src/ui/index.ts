export * from "./format";
export * from "./Picker";
export * from "./States";
export * from "./theme";
