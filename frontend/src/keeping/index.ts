import { later } from "@/ui";

// What is shown when something leaves is never on a first look: fetched apart.
export const RemovalDialog = later(() => import("./RemovalDialog").then((found) => found.RemovalDialog));
export const TakenAway = later(() => import("./TakenAway").then((found) => found.TakenAway));

export * from "./removals";
export * from "./drafts";
export * from "./example";
export * from "./voyage";
