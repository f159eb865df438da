export * from "./RemovalDialog";
export * from "./removals";
export * from "./TakenAway";
export * from "./drafts";
export * from "./voyage";
