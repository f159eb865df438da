import { useMutation, useQuery } from "@tanstack/react-query";
import { dependsQuery } from "@/api";
import { Dialog, Loading, tellAll, Trouble } from "@/ui";
import { useRemovals, type Removed } from "./removals";

const WORDS = {
  script: "script",
  market: "market",
  account: "account",
  basket: "basket",
  run: "kept run",
  trial: "trial",
  practice: "practice",
} as const;

/** What depends on a thing, before it is taken away. */
export function RemovalDialog({ what, onClose, onGone }: { what: Removed; onClose: () => void; onGone?: () => void }) {
  const depends = useQuery(dependsQuery(what.kind, what.name));
  const { takeAway } = useRemovals();
  const gone = useMutation({
    mutationFn: () => takeAway(what),
    onSuccess: () => {
      tellAll(`${what.called} was taken away.`);
      onClose();
      onGone?.();
    },
  });
  return (
    <Dialog title={`Delete the ${WORDS[what.kind]} ${what.called}?`} onClose={onClose}>
      <div className="flex flex-col gap-2 px-4 py-3">
        {depends.isPending && <Loading what="Looking what depends on it" />}
        {depends.error && <Trouble error={depends.error.message} />}
        {depends.data?.sentences.length === 0 && <p>Nothing depends on it.</p>}
        {depends.data && depends.data.sentences.length > 0 && (
          <ul aria-label="What depends on it">
            {depends.data.sentences.map((sentence) => (
              <li key={sentence} className="border-l-2 border-brass pl-2">
                {sentence}.
              </li>
            ))}
          </ul>
        )}
        <p className="text-soft">It can be brought back for as long as this page is open.</p>
        {gone.error && <Trouble error={gone.error.message} />}
        <p className="flex gap-3">
          <button
            type="button"
            className="main-button"
            disabled={!depends.data || gone.isPending}
            onClick={() => gone.mutate()}
          >
            Delete it
          </button>
          <button type="button" className="plain-button" onClick={onClose}>
            Leave it
          </button>
        </p>
      </div>
    </Dialog>
  );
}
