import { queryOptions, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useId, useState } from "react";
import { api, ask, type Problem, type Schemas, type Store, upload } from "../api/client";
import { saveSlips } from "../orders/slips";
import { Button } from "../parts/controls";
import { FileButton } from "../parts/file-button";
import { Check, Radios } from "../parts/radios";
import { useSay } from "../parts/toast";

type Settings = Schemas["OrdersSlipChange"];
type View = Schemas["OrdersSlipSettingsView"];

const papers = [
  ["a6", "A6"],
  ["a5", "A5"],
  ["letter", "Letter"],
] as const;

const slipQuery = (store: number) =>
  queryOptions<View, Problem>({
    queryKey: ["stores", store, "packing-slip"],
    queryFn: () => ask(api.GET("/api/stores/{id}/packing-slip", { params: { path: { id: store } } })),
  });

/** PackingSlips say how the slips look that go into a store's parcels. */
export function PackingSlips({ store }: { store: Store }) {
  const { data } = useQuery(slipQuery(store.id));
  if (!data) return null;
  return <Form store={store} now={data} />;
}

function Form({ store, now }: { store: Store; now: View }) {
  const client = useQueryClient();
  const say = useSay();
  const id = useId();
  const [words, setWords] = useState(now.words);
  const path = { params: { path: { id: store.id } } };
  const kept = (view: View) => client.setQueryData(slipQuery(store.id).queryKey, view);
  const set = useMutation<View, Problem, Partial<Settings>>({
    mutationFn: (part) => ask(api.PATCH("/api/stores/{id}/packing-slip", { ...path, body: part })),
    onSuccess: kept,
    onError: (error) => say(error.message, true),
  });
  const logo = useMutation<View, Error, File | undefined>({
    mutationFn: async (file) => {
      const up = file ? (await upload(file)).file : "";
      return ask(api.PUT("/api/stores/{id}/packing-slip/logo", { ...path, body: { file: up } }));
    },
    onSuccess: kept,
  });
  const shown = { ...now, ...(set.isPending ? set.variables : {}) };
  const names = new Intl.DisplayNames(["en"], { type: "language" });
  return (
    <section className="mt-3 space-y-2 border-t border-line pt-3" aria-label={`Packing slips of ${store.name}`}>
      <h3 className="font-semibold">Packing slips</h3>
      <p className="text-sm text-ink-2">With the shop's name, no price and no supplier.</p>
      <Radios label="Paper" ways={papers} value={shown.paper} onChange={(paper) => set.mutate({ paper })} />
      <label htmlFor={`${id}-language`} className="block font-semibold">
        Language of the slips
      </label>
      <select
        id={`${id}-language`}
        className="rounded-md border border-line-2 bg-surface px-2.5 py-1.5"
        value={shown.language}
        onChange={(e) => set.mutate({ language: e.target.value })}
      >
        {now.languages.map((tag) => (
          <option key={tag} value={tag}>
            {names.of(tag)}
          </option>
        ))}
      </select>
      <label htmlFor={`${id}-words`} className="block font-semibold">
        What the shop says at the end
      </label>
      <textarea
        id={`${id}-words`}
        className="h-20 w-full rounded-md border border-line-2 bg-surface px-2.5 py-1.5"
        maxLength={1000}
        value={words}
        onChange={(e) => setWords(e.target.value)}
        onBlur={() => words.trim() !== now.words && set.mutate({ words })}
      />
      <Check checked={shown.sends} onChange={(sends) => set.mutate({ sends })}>
        Send it with each purchase, where the source takes documents
      </Check>
      <p className="flex flex-wrap gap-2">
        <FileButton
          label="A logo for packing slips"
          accept="image/png,image/jpeg,image/webp"
          ready={!logo.isPending}
          onFile={(file) => logo.mutate(file)}
        >
          {now.has_logo ? "Another logo…" : "Add a logo…"}
        </FileButton>
        {now.has_logo && (
          <Button tone="quiet" onClick={() => logo.mutate(undefined)} ready={!logo.isPending}>
            Take the logo off
          </Button>
        )}
        <Button
          tone="quiet"
          onClick={() =>
            saveSlips(`/api/stores/${store.id}/packing-slip/sample`, "packing-slip-sample.pdf").catch((error: Error) =>
              say(error.message, true),
            )
          }
        >
          Save a sample
        </Button>
      </p>
      {logo.error && (
        <p className="text-loss" role="alert">
          {logo.error.message}
        </p>
      )}
    </section>
  );
}
