import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useId, useState } from "react";
import { api, ask, type Problem, type Schemas } from "../api/client";
import { refresh } from "../api/refresh";
import { useSession } from "../frame/session";
import { Clause } from "../parts/clause";
import { Button } from "../parts/controls";
import { useSay } from "../parts/toast";
import { synonymsQuery } from "./queries";

type Synonyms = Schemas["SearchSynonyms"];

const textOf = (list: Synonyms) => list.groups.map((words) => words.join(" = ")).join("\n");
const groupsOf = (text: string) =>
  text
    .split("\n")
    .map((line) =>
      line
        .split("=")
        .map((word) => word.trim())
        .filter((word) => word !== ""),
    )
    .filter((words) => words.length > 0);

/** SynonymList is the seller's own list of words that mean the same. */
export function SynonymList() {
  const list = useQuery(synonymsQuery);
  const n = list.data?.groups.length ?? 0;
  return (
    <Clause label="Synonyms" words={n === 0 ? "synonyms" : `synonyms (${n})`} empty={n === 0} width="w-80">
      {(close) =>
        list.data ? (
          <SynonymForm list={list.data} close={close} />
        ) : (
          <p className="px-2 py-1">{list.error?.message ?? "…"}</p>
        )
      }
    </Clause>
  );
}

function SynonymForm({ list, close }: { list: Synonyms; close: () => void }) {
  const { may } = useSession();
  const client = useQueryClient();
  const say = useSay();
  const id = useId();
  const [text, setText] = useState(textOf(list));
  const save = useMutation({
    mutationFn: () => ask(api.PUT("/api/synonyms", { body: { groups: groupsOf(text), version: list.version } })),
    onSuccess: (now) => {
      client.setQueryData(synonymsQuery.queryKey, now);
      void refresh(client, "offers");
      say("The synonyms are saved.");
      close();
    },
    onError: (error) => {
      // Somebody else's list becomes the one that this one is compared with; what was typed stays.
      if ((error as Problem).status === 409) void refresh(client, "synonyms");
    },
  });
  return (
    <form
      className="space-y-2 p-2 text-base leading-normal"
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate();
      }}
    >
      <label htmlFor={id} className="block">
        Words that mean the same, a line each: <i>cup = mug</i>
      </label>
      <textarea
        id={id}
        value={text}
        onChange={(e) => setText(e.target.value)}
        readOnly={!may("editor")}
        rows={6}
        aria-describedby={`${id}-error`}
        className="w-full rounded border border-line-2 bg-surface px-2 py-1"
      />
      <p id={`${id}-error`} role="alert" className="text-loss">
        {save.error?.message}
        {(save.error as Problem | null)?.status === 409 && list.groups.length > 0 && (
          <span className="block text-ink">Now: {textOf(list).replaceAll("\n", "; ")}</span>
        )}
      </p>
      {may("editor") && (
        <Button type="submit" tone="main" disabled={save.isPending}>
          Save synonyms
        </Button>
      )}
    </form>
  );
}
