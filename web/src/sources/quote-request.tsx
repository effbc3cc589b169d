import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useState } from "react";
import { api, ask, type Problem, type Source, upload } from "../api/client";
import { refresh } from "../api/refresh";
import { useSession } from "../frame/session";
import { Button, Notice } from "../parts/controls";
import { countryName } from "../parts/countries";
import { Field } from "../parts/field";
import { useGivenPicture } from "../parts/given";
import { typedNumber } from "../parts/number";
import { useNavigate } from "../parts/route";
import { useSay } from "../parts/toast";
import { sourcesQuery } from "./queries";

/** QuoteRequestForm notes what is wanted, and whom to ask. */
export function QuoteRequestForm() {
  const { store } = useSession();
  const go = useNavigate();
  const say = useSay();
  const client = useQueryClient();
  const sources = useQuery(sourcesQuery);
  const takers = (sources.data ?? []).filter((s) => s.state === "connected" && s.takes_requests);
  const [left, setLeft] = useState<number[]>([]);
  const [words, setWords] = useState("");
  const [details, setDetails] = useState("");
  const [link, setLink] = useState("");
  const [target, setTarget] = useState("");
  const [units, setUnits] = useState("");
  const [market, setMarket] = useState(store?.markets[0] ?? "US");
  const [picture, setPicture] = useState<{ file: File; shown: string }>();
  const show = useCallback(
    (file: File | undefined) => file && setPicture({ file, shown: URL.createObjectURL(file) }),
    [],
  );
  useEffect(
    () => () => {
      if (picture) URL.revokeObjectURL(picture.shown);
    },
    [picture],
  );
  const given = useGivenPicture(show);
  const make = useMutation<{ id: number }, Problem | Error>({
    mutationFn: async () => {
      const file = picture ? (await upload(picture.file)).file : "";
      const asked = takers.filter((s) => !left.includes(s.id)).map((s) => s.id);
      return ask(
        api.POST("/api/requests", {
          body: {
            words,
            details,
            link,
            file,
            target: typedNumber(target),
            currency: store?.currency ?? "USD",
            market,
            units: Number(typedNumber(units)) || 0,
            sources: asked,
          },
        }),
      );
    },
    onSuccess: ({ id }) => {
      say("Asked. Quotes are kept here as they come; you can leave.");
      void refresh(client, "requests");
      go(`/sources/requests/${id}`);
    },
  });
  const field = make.error && "field" in make.error ? make.error.field : "";
  const error = (name: string) => (field === name ? make.error?.message : undefined);
  const elsewhere = make.error && !["words", "link", "target"].includes(field);
  if (sources.data && takers.length === 0) return <NobodyToAsk />;
  return (
    <main className="min-h-0 grow overflow-auto">
      <form
        className="mx-auto grid max-w-4xl gap-x-8 *:min-w-0 md:grid-cols-[minmax(0,1fr)_18.75rem] gap-y-4 p-6"
        onSubmit={(e) => {
          e.preventDefault();
          make.mutate();
        }}
        {...given}
      >
        <h1 className="text-xl md:col-span-2">Request quotes</h1>
        <div className="space-y-4">
          <Field
            label="What is wanted"
            value={words}
            onChange={(e) => setWords(e.target.value)}
            placeholder="Folding enamel mug with a cork base"
            maxLength={200}
            required
            autoFocus
            error={error("words")}
          />
          <label className="block">
            <span className="mb-0.5 block font-semibold">What matters about it</span>
            <textarea
              value={details}
              onChange={(e) => setDetails(e.target.value)}
              rows={5}
              maxLength={4000}
              placeholder="Size, material, colours, packing; what it must not be"
              className="w-full rounded-md border border-line-2 bg-surface px-2.5 py-1.5"
            />
          </label>
          <Field
            label="A page that shows it"
            value={link}
            onChange={(e) => setLink(e.target.value)}
            placeholder="https://"
            maxLength={2000}
            error={error("link")}
          />
          <div className="grid grid-cols-3 gap-4">
            <Field
              label={`Cost at most, ${store?.currency ?? "USD"}`}
              value={target}
              onChange={(e) => setTarget(e.target.value)}
              number={{ least: 0, currency: store?.currency }}
              maxLength={30}
              error={error("target")}
              hint="Of one unit, before delivery"
            />
            <Field
              label="Units a month"
              number={{ least: 0, most: 10_000_000, whole: true }}
              value={units}
              onChange={(e) => setUnits(e.target.value)}
              hint="As you expect it"
            />
            <Market now={market} onChoose={setMarket} />
          </div>
        </div>
        <div className="space-y-4">
          <GivenPicture shown={picture?.shown} onFile={show} onNone={() => setPicture(undefined)} />
          <Whom
            takers={takers}
            left={left}
            onLeft={(id, out) => setLeft(out ? [...left, id] : left.filter((x) => x !== id))}
          />
        </div>
        {elsewhere && (
          <p className="text-loss md:col-span-2" role="alert">
            {make.error?.message}
          </p>
        )}
        <div className="flex justify-end gap-2 border-t border-line pt-4 md:col-span-2">
          <Button onClick={() => go("/sources/requests")}>Cancel</Button>
          <Button tone="main" type="submit" disabled={make.isPending || left.length === takers.length}>
            {make.isPending ? "Sending…" : "Ask for quotes"}
          </Button>
        </div>
      </form>
    </main>
  );
}

/** GivenPicture shows the picture of what is wanted, and takes another. */
function GivenPicture({
  shown,
  onFile,
  onNone,
}: {
  shown: string | undefined;
  onFile: (file: File | undefined) => void;
  onNone: () => void;
}) {
  return (
    <div>
      <span className="mb-0.5 block font-semibold">A picture</span>
      <label className="grid h-44 cursor-pointer place-items-center overflow-hidden rounded-md border border-dashed border-line-2 bg-sunk text-center text-ink-2 focus-within:outline-2 focus-within:outline-beak">
        {shown ? (
          <img src={shown} alt="What is wanted" className="h-44 w-full object-contain" />
        ) : (
          <span className="px-6">Drop or paste one, or choose a file</span>
        )}
        <input
          type="file"
          accept="image/*"
          aria-label="Picture"
          className="sr-only"
          onChange={(e) => onFile(e.target.files?.[0])}
        />
      </label>
      {shown && (
        <Button tone="quiet" onClick={onNone}>
          Leave it out
        </Button>
      )}
    </div>
  );
}

/** Whom chooses the sources whose suppliers are asked. */
function Whom({
  takers,
  left,
  onLeft,
}: {
  takers: Source[];
  left: number[];
  onLeft: (id: number, out: boolean) => void;
}) {
  return (
    <fieldset>
      <legend className="mb-0.5 font-semibold">Whom to ask</legend>
      {takers.map((s) => (
        <label key={s.id} className="flex min-h-7 items-center gap-2">
          <input
            type="checkbox"
            className="size-4 accent-(--beak-fill)"
            checked={!left.includes(s.id)}
            onChange={(e) => onLeft(s.id, !e.target.checked)}
          />
          the suppliers of {s.name}
        </label>
      ))}
    </fieldset>
  );
}

function NobodyToAsk() {
  const go = useNavigate();
  return (
    <main className="grow">
      <Notice alone title="Nobody to ask">
        <p>
          None of the connected sources takes requests. Marketplaces that pass them on to their suppliers say so when
          they are connected.
        </p>
        <Button onClick={() => go("/sources")}>Sources</Button>
      </Notice>
    </main>
  );
}

function Market({ now, onChoose }: { now: string; onChoose: (market: string) => void }) {
  const { store } = useSession();
  const markets = [...new Set([...(store?.markets ?? []), now])];
  return (
    <label className="block">
      <span className="mb-0.5 block font-semibold">Sold to</span>
      <select
        value={now}
        onChange={(e) => onChoose(e.target.value)}
        className="w-full rounded-md border border-line-2 bg-surface px-2.5 py-1.5"
      >
        {markets.map((m) => (
          <option key={m} value={m}>
            {countryName(m)}
          </option>
        ))}
      </select>
    </label>
  );
}
