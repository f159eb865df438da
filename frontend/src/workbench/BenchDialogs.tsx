import { later } from "@/ui";
import { retitled } from "./model";
import type { Bench } from "./useBench";

const SaveQuestion = later(() => import("./SaveQuestion").then((found) => found.SaveQuestion));
const FunnelCard = later(() => import("./FunnelCard").then((found) => found.FunnelCard));
const AlertsCard = later(() => import("./AlertsCard").then((found) => found.AlertsCard));
const dialogs = () => import("./text/dialogs");
const AskElsewhere = later(() => dialogs().then((found) => found.AskElsewhere));
const Changed = later(() => dialogs().then((found) => found.Changed));
const CheckConversion = later(() => dialogs().then((found) => found.CheckConversion));
const Compared = later(() => dialogs().then((found) => found.Compared));
const ReadBack = later(() => dialogs().then((found) => found.ReadBack));
const TakeAway = later(() => dialogs().then((found) => found.TakeAway));
const Versions = later(() => dialogs().then((found) => found.Versions));

/** What opens over the whole place: the tools of the text, where signals went, and questions before a save. */
export function BenchDialogs({ bench }: { bench: Bench }) {
  const { live, tool, setup, text, setText, script, scripts, compared, saving } = bench;
  const close = () => bench.setTool(null);
  const textOf = (title: string) => scripts.find((item) => item.title === title)?.versions.at(-1)?.text ?? "";
  return (
    <>
      {bench.isFunnelOpen && live.run && (
        <FunnelCard run={live.run.key} ask={live.ask} onClose={() => bench.setFunnelOpen(false)} />
      )}
      {tool === "alerts" && live.run && (
        <AlertsCard
          run={live.run}
          isOfView={live.isOfView}
          onGo={(moment) => (close(), void bench.chart.goToTime(moment))}
          onClose={close}
        />
      )}
      {tool === "readback" && <ReadBack setup={setup} onClose={close} />}
      {tool === "python" && <TakeAway setup={setup} onClose={close} />}
      {tool === "versions" && script && <Versions script={script} text={text} onTake={setText} onClose={close} />}
      {tool === "changed" && (
        <Changed
          pinned={bench.pinned}
          setup={setup}
          all={live.isOfView ? (live.run?.figures.all ?? null) : null}
          figures={bench.catalogue.figures}
          onTake={setText}
          onClose={close}
        />
      )}
      {tool === "ask" && <AskElsewhere setup={setup} onTake={setText} onClose={close} />}
      {tool === "conversion" && (
        <CheckConversion
          setup={setup}
          onGo={(time) => void bench.chart.goToTime(Date.parse(time) / 1000)}
          onClose={close}
        />
      )}
      {compared && (
        <Compared
          name={compared.name}
          before={compared.text}
          after={text}
          onTake={setText}
          onClose={() => bench.setCompared(null)}
        />
      )}
      {saving.question && !compared && (
        <SaveQuestion
          question={saving.question}
          titles={scripts.map((item) => item.title)}
          onTop={saving.answer.onTop}
          onTitle={(other) => {
            const { then } = saving.question!;
            saving.answer.leave();
            saving.save(retitled(text, other), then);
          }}
          onCompare={() => {
            const { newest, title } = saving.question!;
            bench.setCompared({ name: `version ${newest} of ${title}`, text: textOf(title) });
          }}
          onClose={saving.answer.leave}
        />
      )}
    </>
  );
}
