import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, scriptsQuery, unwrap, type Script } from "@/api";
import { tellAll } from "@/ui";
import { dropDraft } from "@/keeping";
import { titleIn, type Opened } from "./model";

type Then = (saved: Script) => void;

/** A save that would go on top of something: another script of that title, or a version that was saved elsewhere. */
export interface Question {
  text: string;
  title: string;
  newest: number;
  why: "another script" | "newer version";
  then: Then;
}

/** Saving a text under its own title; what it would cover is asked for first. */
export function useSaving(
  title: string,
  opened: Opened | undefined,
  script: Script | undefined,
  scripts: Script[],
  onSaved: Then,
) {
  const client = useQueryClient();
  const [question, setQuestion] = useState<Question | null>(null);
  // The newest version that whoever saves knows of: the newest there was when the script was opened, or that was looked at since.
  const [seen, setSeen] = useState<{ of: string; newest: number }>({ of: "", newest: 0 });
  const newest = script?.versions.at(-1)?.number ?? 0;
  if (script && seen.of !== title) setSeen({ of: title, newest });
  const known = seen.of === title ? seen.newest : newest;
  const saving = useMutation({
    mutationFn: ({ text, after }: { text: string; after: number; then: Then }) =>
      unwrap(api.POST("/api/scripts", { body: { text, after } })),
    onSuccess: (saved, { then }) => {
      if (opened) dropDraft({ title, version: opened.number });
      setSeen({ of: saved.title, newest: saved.versions.at(-1)?.number ?? 0 });
      setQuestion(null);
      client.setQueryData(scriptsQuery.queryKey, (before) =>
        [...(before ?? []).filter((item) => item.title !== saved.title), saved].sort((a, b) =>
          a.title < b.title ? -1 : 1,
        ),
      );
      tellAll(`${saved.title} is saved as version ${saved.versions.at(-1)?.number}.`);
      then(saved);
    },
  });
  const save = (text: string, then: Then = onSaved) => {
    const under = titleIn(text);
    const other = under === title ? undefined : scripts.find((item) => item.title === under);
    const most = other?.versions.at(-1)?.number ?? 0;
    if (other) setQuestion({ text, title: under, newest: most, why: "another script", then });
    else if (under === title && newest > known) setQuestion({ text, title, newest, why: "newer version", then });
    else saving.mutate({ text, after: under === title ? known : 0, then });
  };
  return {
    save,
    isSaving: saving.isPending,
    error: saving.error,
    question,
    answer: {
      /** Save on top of it all the same. */
      onTop: () => question && saving.mutate({ text: question.text, after: question.newest, then: question.then }),
      leave: () => setQuestion(null),
    },
    /** A version that was saved elsewhere since the script was opened. */
    savedElsewhere: newest > known && script && !saving.isPending ? newest : null,
    looked: () => setSeen({ of: title, newest }),
  };
}
