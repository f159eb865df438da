export * from "./DateField";
export * from "./model";
export * from "./SetupWords";
export * from "./SpanPicker";
export * from "./TimeframePicker";
