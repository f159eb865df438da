import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, marketsQuery, sendFile, unwrap, type ImportPreview, type Market } from "@/api";
import { Picker, plain, tellAll, Trouble } from "@/ui";
import { ComparedWords, HOW_WORDS, type How, useCompared } from "./Compared";
import { Columns, type Roles } from "./Columns";
import { guessed, NEW, settingsOf, type Description } from "./model";

const FIELDS: { name: keyof Description; label: string; hint: string }[] = [
  { name: "symbol", label: "Symbol", hint: "what scripts and runs call it" },
  { name: "title", label: "Name", hint: "a few words" },
  { name: "tick", label: "Tick", hint: "smallest price step" },
  { name: "point_value", label: "Value of a point", hint: "money per unit and point" },
  { name: "lot_step", label: "Lot step", hint: "smallest size, and step" },
  { name: "pip", label: "Pip", hint: "empty when there is none" },
  { name: "spread", label: "Spread", hint: "in price" },
  { name: "session", label: "Session", hint: "such as 09:00-17:30" },
  { name: "days", label: "Days", hint: "such as mon-fri" },
  { name: "zone", label: "Zone", hint: "Area/City of the session" },
];
interface Props {
  file: File;
  zone: string;
  known: Market[];
  onOpen: (market: string) => void;
}

/** One file: look at what was read, say what it is, store it. */
export function OneFile({ file, zone, known, onOpen }: Props) {
  const client = useQueryClient();
  const [fields, setFields] = useState<Description>(NEW);
  const [how, setHow] = useState<How>("add");
  const [roles, setRoles] = useState<Roles | null>(null);
  const [isMapping, setMapping] = useState(false);
  const { mutate, ...read } = useMutation({
    mutationFn: (said: Roles | null) => sendFile(file, zone, said ?? {}),
    onSuccess: (found) => {
      setMapping(false);
      setFields({ ...NEW, zone, symbol: found.symbol, ...guessed(found.guesses) });
    },
  });
  useEffect(() => mutate(roles), [mutate, roles]);
  const symbol = fields.symbol.trim();
  const taken = known.some((market) => market.symbol === symbol);
  const compared = useCompared(read.data, taken ? symbol : "");
  const store = useMutation({
    mutationFn: (token: string) =>
      unwrap(
        api.POST("/api/imports/store", {
          body: {
            token,
            symbol: fields.symbol,
            title: fields.title,
            how,
            ...(taken ? {} : { settings: settingsOf(fields) }),
          },
        }),
      ),
    onSuccess: (market) => {
      client.setQueryData(marketsQuery.queryKey, (before) => [
        ...(before ?? []).filter((item) => item.symbol !== market.symbol),
        market,
      ]);
      void client.invalidateQueries({ queryKey: marketsQuery.queryKey });
      tellAll(`${market.symbol} is stored.`);
      onOpen(market.symbol);
    },
  });
  return (
    <>
      {read.isPending && <progress className="progress w-full" aria-label="Reading the file" />}
      {read.error && <Trouble error={`${read.error.message} Nothing was stored.`} />}
      {(isMapping || read.error) && <Columns file={file} roles={roles} onRead={setRoles} />}
      {read.data && (
        <div className="grid grid-cols-[1fr_22rem] gap-6">
          <Found preview={read.data} onMap={() => setMapping(true)} />
          <form
            onSubmit={(event) => {
              event.preventDefault();
              store.mutate(read.data.token);
            }}
          >
            {FIELDS.filter((field) => !taken || field.name === "symbol").map((field) => {
              const guess = read.data.guesses.find(({ key }) => key === field.name);
              const isGuessed = guess !== undefined && String(guess.value) === fields[field.name];
              return (
                <label
                  key={field.name}
                  className="mb-1 grid grid-cols-[7.5rem_1fr] items-center gap-x-2"
                  title={field.hint}
                >
                  <span className="text-soft">{field.label}</span>
                  <input
                    aria-label={field.label}
                    aria-describedby={isGuessed ? `guessed-${field.name}` : undefined}
                    className={`field ${isGuessed ? "!border-brass" : ""}`}
                    value={fields[field.name]}
                    placeholder={field.hint}
                    onChange={(event) => setFields({ ...fields, [field.name]: event.target.value })}
                  />
                  {isGuessed && (
                    <span id={`guessed-${field.name}`} className="col-start-2 text-note text-brass">
                      {guess.reason}
                    </span>
                  )}
                </label>
              );
            })}
            {taken && (
              <p className="mb-2 text-brass">
                {symbol} is stored already, and stays described as it is.{" "}
                {compared && (
                  <>
                    <ComparedWords joining={compared} timeframe={read.data.timeframe} />{" "}
                    <Picker
                      label="What becomes of the bars there are"
                      value={how}
                      options={HOW_WORDS}
                      onChange={(value) => setHow(value as How)}
                    />
                    .
                  </>
                )}
              </p>
            )}
            {store.error && <Trouble error={`${store.error.message} Nothing was stored.`} />}
            <button type="submit" className="main-button" disabled={store.isPending || !fields.symbol.trim()}>
              {store.isPending ? "Storing…" : `Store ${plain(read.data.rows, 0)} bars`}
            </button>
          </form>
        </div>
      )}
    </>
  );
}

function Found({ preview, onMap }: { preview: ImportPreview; onMap: () => void }) {
  const names = ["time", "open", "high", "low", "close", "volume"];
  return (
    <div className="min-w-0">
      <p>
        <b>{preview.name}</b>: <span className="num">{plain(preview.rows, 0)}</span> bars of {preview.timeframe},{" "}
        {preview.first.slice(0, 16).replace("T", " ")} to {preview.last.slice(0, 16).replace("T", " ")} UTC
      </p>
      <p className="text-soft">
        Columns:{" "}
        {Object.entries(preview.roles)
          .map(([role, column]) => (role === column.toLowerCase() ? role : `${role} from ${column}`))
          .join(", ")}
        {preview.extra_columns.length > 0 && `; kept besides: ${preview.extra_columns.join(", ")}`}
        {preview.notes.length > 0 && `; ${preview.notes.join(", ")}`}.{" "}
        <button type="button" className="cursor-pointer text-long hover:underline" onClick={onMap}>
          They are others
        </button>
      </p>
      <table className="num my-2 text-right">
        <thead className="text-soft">
          <tr>
            {names.map((name) => (
              <th key={name} className="px-2 font-normal">
                {name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {preview.sample.map((row, index) => (
            <tr key={index} className="border-t border-line">
              {names.map((name) => (
                <td key={name} className="px-2">
                  {name === "time" ? String(row[name]).slice(0, 16).replace("T", " ") : String(row[name])}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      {preview.refused_count > 0 && (
        <div>
          <p className="text-loss">
            {preview.refused_count === 1 ? "1 row" : `${plain(preview.refused_count, 0)} rows`} refused; the others can
            be stored:
          </p>
          <ul className="max-h-40 overflow-auto">
            {preview.refused.map((row) => (
              <li key={`${row.line} ${row.reason}`}>
                line <span className="num">{row.line}</span>: {row.reason}{" "}
                <span className="num text-soft">{row.text}</span>
              </li>
            ))}
          </ul>
        </div>
      )}
    </div>
  );
}
