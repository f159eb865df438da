export * from "./account";
export type { AccountProps } from "./AccountSheet";
export * from "./DateField";
export * from "./model";
export * from "./SetupWords";
export * from "./SpanPicker";
export * from "./TimeframePicker";
