import { useState } from "react";
import { Dialog } from "@/ui";
import type { Question } from "./useSaving";

interface Props {
  question: Question;
  titles: string[];
  onTop: () => void;
  /** Save under another title instead: the text is given that title. */
  onTitle: (title: string) => void;
  onCompare: () => void;
  onClose: () => void;
}

/** Before a save covers what somebody else, or another script, has under this title. */
export function SaveQuestion({ question, titles, onTop, onTitle, onCompare, onClose }: Props) {
  const [title, setTitle] = useState(() => freeTitle(question.title, titles));
  const isTaken = titles.includes(title.trim());
  return (
    <Dialog
      title={
        question.why === "another script"
          ? `“${question.title}” is on the shelf already`
          : `Version ${question.newest} was saved elsewhere`
      }
      onClose={onClose}
    >
      <div className="flex flex-col gap-3 px-4 py-3">
        <p>
          {question.why === "another script"
            ? `This text has the title of another script, which has ${question.newest === 1 ? "one version" : `${question.newest} versions`}. Nothing was saved yet.`
            : `“${question.title}” got version ${question.newest} in another window since it was opened here. Nothing was saved yet.`}
        </p>
        <p className="flex flex-wrap gap-3">
          <button type="button" className="plain-button" onClick={onCompare}>
            Look at the difference
          </button>
          <button type="button" className="plain-button" onClick={onTop}>
            Save as its version {question.newest + 1}
          </button>
        </p>
        <form
          className="flex items-baseline gap-3"
          onSubmit={(event) => {
            event.preventDefault();
            if (title.trim() && !isTaken) onTitle(title.trim());
          }}
        >
          <label className="flex flex-1 items-baseline gap-2">
            or under the title
            <input className="field min-w-0 flex-1" value={title} onChange={(event) => setTitle(event.target.value)} />
          </label>
          <button type="submit" className="main-button" disabled={!title.trim() || isTaken}>
            Save so
          </button>
        </form>
        {isTaken && <p className="text-loss">There is a script of that title too.</p>}
      </div>
    </Dialog>
  );
}

function freeTitle(title: string, taken: string[]): string {
  for (let number = 2; ; number++) if (!taken.includes(`${title} ${number}`)) return `${title} ${number}`;
}
