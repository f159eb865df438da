export * from "./client";
export * from "./live";
export * from "./queries";
export * from "./setup";
export * from "./socket";
