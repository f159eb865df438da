import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

export const api = createClient<paths>({ baseUrl: "" });

type Schemas = components["schemas"];
export type Setup = Schemas["Setup"];
export type Script = Schemas["ScriptOut"];
export type ShelfFile = Schemas["ShelfFile"];
export type Market = Schemas["MarketOut"];
export type Account = Schemas["AccountOut"];
export type AccountSettings = Schemas["AccountSettings"];
export type Catalogue = Schemas["CatalogueOut"];
export type FigureInfo = Schemas["FigureOut"];
export type ImportPreview = Schemas["ImportOut"];
export type KeptRun = Schemas["KeptRunOut"];
export type Compared = Schemas["Compared"];
export type ComparedRun = Schemas["ComparedRun"];
export type RunDifference = Schemas["RunDifference"];
export type TradePair = Schemas["TradePair"];
export type LoggedRun = Schemas["LoggedRun"];
export type SeenRun = Schemas["SeenRun"];
export type TallyTold = Schemas["TallyTold"];
export type Trial = Schemas["TrialOut"];
export type Surface = Schemas["Surface"];
export type TrialOrder = Schemas["TrialOrder"];
export type TrialPlan = Schemas["EstimateOut"];
export type TrialRun = Schemas["TrialRun"];
export type TrialSpan = Schemas["Span"];
export type AxisValue = Schemas["Axis"]["values"][number];
export type AxisCurve = Schemas["Curve"];
export type Varying = Schemas["Varying"];
export type Deflation = Schemas["BestWeighed"];
export type Walk = Schemas["Walk"];
export type WalkWindow = Schemas["WalkWindow"];
export type CalendarRow = Schemas["CalendarRow"];
export type Basket = Schemas["Basket"];
export type KeptBasket = Schemas["BasketBody"];
export type Brought = Schemas["BroughtOut"];
export type Glimpse = Schemas["Glimpse"];
export type PracticeLine = Schemas["PracticeLine"];
export type PracticeShown = Schemas["PracticeShown"];
export type FeedChoice = Schemas["PracticeIn"]["feed"];
export type GuideRow = Schemas["GuideRowOut"];
export type GuideEntry = Schemas["GuideEntryOut"];
export type Sheet = Schemas["SheetOut"];
export type SheetRow = Schemas["SheetRowOut"];
export type RuleExample = Schemas["RuleExample"];
export type Condition = Schemas["StudiedCondition"];
export type Conditions = Schemas["Beginnings"];
export type FileColumns = Schemas["FileColumns"];
export type Joining = Schemas["Joining"];
export type OddBars = Schemas["OddBars"];
export type OddKind = NonNullable<Schemas["LeaveOutIn"]["kind"]>;
export type MarketLook = Schemas["MarketLook"];
export type Preview = Schemas["Preview"];
export type ConversionChecked = Schemas["ConversionOut"];
export type Trace = Schemas["Trace"];
export type Resampled = Schemas["Redrawn"];
export type Distribution = Schemas["Distribution"];
export type Report = Schemas["Report"];
export type Verified = Schemas["Verified"];
export type WorthStep = Schemas["WorthStep"];
export type LineWorth = Schemas["LineWorth"];
export type HistoryRules = Required<Schemas["HistoryRules"]>;
export type HistoryStep = Schemas["HistoryStep"];
export type StressStep = Schemas["StressStep"];
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
export async function sendFile(file: File, zone: string, roles: Record<string, string> = {}): Promise<ImportPreview> {
  const query = new URLSearchParams({ name: file.name, zone });
  for (const [role, column] of Object.entries(roles)) query.append("role", `${role}=${column}`);
  return (await sent(`/api/imports?${query}`, file)) as ImportPreview;
}

/** The columns of a file, whether or not it can be read. */
export async function sendForColumns(file: File): Promise<FileColumns> {
  return (await sent(`/api/imports/columns?${new URLSearchParams({ name: file.name })}`, file)) as FileColumns;
}

/** A pack made again, and compared with what it says of itself. */
export const sendPack = (file: File) => sent("/api/report/verify", file) as Promise<Verified>;

async function sent(way: string, file: File): Promise<unknown> {
  const answer = await fetch(way, { method: "POST", body: file });
  const body: unknown = await answer.json();
  if (!answer.ok) throw new Error((body as { detail?: string }).detail ?? "The file could not be read.");
  return body;
}
