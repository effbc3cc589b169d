import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Problem, type Schemas } from "../api/client";
import { refresh } from "../api/refresh";
import { Button, Dialog } from "../parts/controls";
import { checked, Field } from "../parts/field";
import { useSay } from "../parts/toast";
import { wordingQuery } from "./queries";

type Wording = Schemas["WorkbenchWording"];

/** EditWording edits the lists of words that tidying goes by, and those that may not be used. */
export function EditWording({ onClose }: { onClose: () => void }) {
  const { data } = useQuery(wordingQuery);
  return (
    <Dialog open onClose={onClose} title="Lists of words" size="wide">
      {data && <Lists key={JSON.stringify(data)} wording={data} onClose={onClose} />}
    </Dialog>
  );
}

const lines = (text: string) =>
  text
    .split("\n")
    .map((line) => line.trim())
    .filter(Boolean);

const bounds = { least: 0, most: 500, whole: true };

function Lists({ wording, onClose }: { wording: Wording; onClose: () => void }) {
  const client = useQueryClient();
  const say = useSay();
  const [noise, setNoise] = useState(wording.noise?.join("\n") ?? "");
  const [exceptions, setExceptions] = useState(wording.exceptions?.join("\n") ?? "");
  const [stops, setStops] = useState(unwanted(wording, true));
  const [warns, setWarns] = useState(unwanted(wording, false));
  const [limit, setLimit] = useState(String(wording.limit));
  const saved = (next: Wording) => {
    client.setQueryData(wordingQuery.queryKey, next);
    void refresh(client, "drafts", "draft", "change-many");
  };
  const save = useMutation<Wording, Problem>({
    mutationFn: () =>
      ask(
        api.PUT("/api/wording", {
          body: {
            noise: lines(noise),
            exceptions: lines(exceptions),
            limit: Number(checked(limit, bounds).value || "0"),
            unwanted: [
              ...lines(stops).map((text) => ({ text, stops: true })),
              ...lines(warns).map((text) => ({ text, stops: false })),
            ],
          },
        }),
      ),
    onSuccess: (next) => {
      saved(next);
      say("The lists are saved.");
      onClose();
    },
  });
  const reset = useMutation<Wording, Problem>({
    mutationFn: () => ask(api.DELETE("/api/wording")),
    onSuccess: (next) => {
      saved(next);
      say("The lists for tidying are the standard ones again.");
    },
    onError: (error) => say(error.message, true),
  });
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        if (checked(limit, bounds).error === undefined) save.mutate();
      }}
    >
      <div className="grid gap-4 sm:grid-cols-2">
        <List label="Noise words and phrases" hint="Taken out of titles" value={noise} onChange={setNoise} />
        <List
          label="Written just so"
          hint="Not lowered, though they are in capitals"
          value={exceptions}
          onChange={setExceptions}
        />
        <List label="May not be used" hint="Blocks publishing" value={stops} onChange={setStops} />
        <List label="To look at" hint="A warning before publishing" value={warns} onChange={setWarns} />
      </div>
      <div className="mt-3 w-72">
        <Field
          label="Longest tidied title, in characters"
          value={limit}
          number={bounds}
          hint="0 is no limit"
          onChange={(e) => setLimit(e.target.value)}
        />
      </div>
      {save.error && (
        <p className="mt-2 text-loss" role="alert">
          {save.error.message}
        </p>
      )}
      <div className="mt-4 flex justify-end gap-2">
        {!wording.standard && (
          <Button tone="quiet" className="mr-auto" onClick={() => reset.mutate()} disabled={reset.isPending}>
            Back to the standard lists
          </Button>
        )}
        <Button onClick={onClose}>Cancel</Button>
        <Button tone="main" type="submit" disabled={save.isPending}>
          Save lists
        </Button>
      </div>
    </form>
  );
}

const unwanted = (wording: Wording, stops: boolean) =>
  wording.unwanted
    ?.filter((u) => u.stops === stops)
    .map((u) => u.text)
    .join("\n") ?? "";

function List({
  label,
  hint,
  value,
  onChange,
}: {
  label: string;
  hint: string;
  value: string;
  onChange: (text: string) => void;
}) {
  return (
    <label className="block">
      <span className="font-semibold">{label}</span> <span className="text-sm text-ink-2">{hint}, one a line</span>
      <textarea
        value={value}
        rows={6}
        onChange={(e) => onChange(e.target.value)}
        className="mt-1 block w-full rounded-md border border-line-2 bg-surface px-2.5 py-1.5"
      />
    </label>
  );
}
