import { useEffect, useRef, useState } from "react";
import type { PracticeShown } from "@/api";
import { Trouble } from "@/ui";
import { placeText } from "./model";
import { usePractices } from "./queries";

/** Where what happens is sent besides this page: this browser's notifications, an address. */
export function Sending({ shown, number }: { shown: PracticeShown; number: number }) {
  const { webhook, test, again } = usePractices();
  const [typed, setTyped] = useState<{ url: string; secret: string } | null>(null);
  const url = typed?.url ?? shown.webhook;
  const isChanged = typed !== null && (typed.url !== shown.webhook || typed.secret !== "");
  const waiting = shown.events.filter((event) => event.sent === "due");
  const last = waiting.at(-1);
  const save = (to: string) =>
    webhook.mutate({ number, url: to, secret: typed?.secret ?? "" }, { onSuccess: () => setTyped(null) });
  const failed = webhook.error ?? test.error ?? again.error;
  return (
    <>
      <Notifying shown={shown} />
      <label className="mt-2 flex flex-col gap-1">
        <span className="text-soft">A webhook: each event is sent there as JSON, in order, until it is taken</span>
        <input
          className="field num"
          value={url}
          placeholder="http://127.0.0.1:8791/"
          aria-label="Address of the webhook"
          onChange={(event) => setTyped({ url: event.target.value.trim(), secret: typed?.secret ?? "" })}
        />
      </label>
      {typed !== null && (
        <label className="mt-1 flex flex-col gap-1">
          <span className="text-soft">A secret that signs it (HMAC-SHA256), or none</span>
          <input
            className="field num"
            type="password"
            autoComplete="off"
            value={typed.secret}
            aria-label="Secret of the webhook"
            onChange={(event) => setTyped({ url, secret: event.target.value })}
          />
        </label>
      )}
      <p className="mt-2 flex flex-wrap gap-2">
        {isChanged && (
          <button type="button" className="main-button" disabled={webhook.isPending} onClick={() => save(url)}>
            {url ? "Send there from now on" : "Send nowhere"}
          </button>
        )}
        {shown.webhook && !isChanged && (
          <>
            <button
              type="button"
              className="plain-button"
              disabled={test.isPending}
              onClick={() => test.mutate(number)}
            >
              Test
            </button>
            <button type="button" className="plain-button" onClick={() => save("")}>
              Send no more
            </button>
          </>
        )}
      </p>
      {test.data && !isChanged && (
        <p role="status" className={test.data.is_taken ? "text-gain" : "text-loss"}>
          {test.data.is_taken ? "✓" : "✕"} the test {test.data.answer}
        </p>
      )}
      {last && last.tries > 0 && (
        <p className="text-loss" data-testid="unsent">
          ✕ {waiting.length} of the newest wait: {last.answer}, tried {last.tries} {last.tries === 1 ? "time" : "times"}{" "}
          <button type="button" className="cursor-pointer text-long underline" onClick={() => again.mutate(number)}>
            again
          </button>
        </p>
      )}
      {failed && <Trouble error={failed.message} />}
    </>
  );
}

const KEPT = "skelb-practice-notifies";

/** Notifications of this browser for what happens while the page is open somewhere. */
function Notifying({ shown }: { shown: PracticeShown }) {
  const [isOn, setOn] = useState(() => localStorage.getItem(KEPT) === "on" && mayNotify());
  const newest = shown.events[0]?.id ?? 0;
  const told = useRef(newest);
  useEffect(() => {
    const fresh = shown.events.filter((event) => event.id > told.current && event.kind !== "feed");
    told.current = Math.max(told.current, newest);
    if (!isOn || fresh.length === 0) return;
    const title = `${shown.line.title} on ${placeText(shown.line)}`;
    const body = fresh.length > 1 ? `${fresh[0]!.text}, and ${fresh.length - 1} more` : fresh[0]!.text;
    new Notification(title, { body, tag: `skelb-practice-${shown.line.number}` });
  }, [shown, newest, isOn]);
  const put = async (next: boolean) => {
    const may = next && (mayNotify() || (await Notification.requestPermission()) === "granted");
    localStorage.setItem(KEPT, may ? "on" : "off");
    setOn(may);
  };
  if (!("Notification" in window)) return null;
  return (
    <label className="flex items-center gap-2">
      <input type="checkbox" checked={isOn} onChange={(event) => void put(event.target.checked)} />
      notifications of this browser
    </label>
  );
}

const mayNotify = () => "Notification" in window && Notification.permission === "granted";
