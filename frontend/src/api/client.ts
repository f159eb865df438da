import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

export const api = createClient<paths>({ baseUrl: "" });

type Schemas = components["schemas"];
export type Setup = Schemas["Setup"];
export type Script = Schemas["ScriptOut"];
export type Market = Schemas["MarketOut"];
export type Account = Schemas["AccountOut"];
export type Catalogue = Schemas["CatalogueOut"];
export type FigureInfo = Schemas["FigureOut"];
export type ImportPreview = Schemas["ImportOut"];
export type KeptRun = Schemas["KeptRunOut"];
export type Trial = Schemas["TrialOut"];
export type Surface = Schemas["SurfaceOut"];
export type TrialOrder = Schemas["TrialOrder"];
export type TrialPlan = Schemas["EstimateOut"];
export type TrialRun = Schemas["TrialRunOut"];
export type TrialSpan = Schemas["SpanOut"];
export type AxisValue = Schemas["AxisOut"]["values"][number];
export type AxisCurve = Schemas["CurveOut"];
export type Varying = Schemas["VaryingOut"];
export type Deflation = Schemas["DeflationOut"];
export type Walk = Schemas["WalkOut"];
export type WalkWindow = Schemas["WalkWindowOut"];
export type CalendarRow = Schemas["CalendarRowOut"];
export type Basket = Schemas["BasketOut"];
export type GuideRow = Schemas["GuideRowOut"];
export type GuideEntry = Schemas["GuideEntryOut"];
export type Sheet = Schemas["SheetOut"];
export type SheetRow = Schemas["SheetRowOut"];
export type RuleExample = Schemas["ExampleOut"];
export type Condition = Schemas["ConditionOut"];
export type Conditions = Schemas["ConditionsOut"];
export type Trace = Schemas["TraceOut"];
export type Resampled = Schemas["ResampleOut"];
export type Distribution = Schemas["DistributionOut"];
export type StressStep = Schemas["StressStepOut"];
export type MoveUnit = NonNullable<Schemas["StudyIn"]["unit"]>;
export type ResampleKind = NonNullable<Schemas["ResampleIn"]["kind"]>;
export type RemovalKind = Schemas["RemovalIn"]["kind"];
export type ChallengeRules = Required<Schemas["ChallengeRules"]>;

/** The data of an answer; an error answer becomes an Error with the server's sentence. */
export async function unwrap<T>(asked: Promise<{ data?: T; error?: unknown }>): Promise<T> {
  const { data, error } = await asked;
  if (data === undefined) {
    const detail = (error as { detail?: unknown } | undefined)?.detail;
    throw new Error(typeof detail === "string" ? detail : "The server did not answer as expected.");
  }
  return data;
}

/** The items of an answer that comes line by line, each as soon as it is there. */
export async function* linesOf<T>(
  asked: Promise<{ data?: ReadableStream<Uint8Array> | null; error?: unknown }>,
): AsyncGenerator<T> {
  const reader = (await unwrap(asked))!
    .pipeThrough(new TextDecoderStream() as TransformStream<Uint8Array, string>)
    .getReader();
  let begun = "";
  for (let read = await reader.read(); !read.done; read = await reader.read()) {
    const lines = (begun + read.value).split("\n");
    begun = lines.pop() ?? "";
    for (const line of lines) yield JSON.parse(line) as T;
  }
}

/** Sends a file as it is; nothing is stored yet. */
export async function sendFile(file: File, zone: string): Promise<ImportPreview> {
  const query = new URLSearchParams({ name: file.name, zone });
  const answer = await fetch(`/api/imports?${query}`, { method: "POST", body: file });
  const body: unknown = await answer.json();
  if (!answer.ok) throw new Error((body as { detail?: string }).detail ?? "The file could not be read.");
  return body as ImportPreview;
}
