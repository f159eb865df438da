export * from "./Axes";
export * from "./scale";
