import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Problem } from "../api/client";
import { refresh } from "../api/refresh";
import { useSession } from "../frame/session";
import { Confirm } from "../parts/confirm";
import { Button, Notice } from "../parts/controls";
import { countryName } from "../parts/countries";
import { useKeys } from "../parts/keys";
import { movedByKey } from "../parts/list";
import { Money } from "../parts/money";
import { useNavigate, useParams } from "../parts/route";
import { type Column, LongTable } from "../parts/table";
import { ago } from "../parts/time";
import { useSay } from "../parts/toast";
import { requestQuery, requestsQuery } from "./queries";
import { QuoteRequestForm } from "./quote-request";
import { Quotes } from "./quotes";
import { type Request, requestState } from "./words";

const columns: Column<Request>[] = [
  {
    id: "request",
    name: "What is wanted",
    card: "what",
    show: (r) => (
      <>
        <span className="block truncate font-semibold" title={r.words}>
          {r.words}
        </span>
        <span className="block text-sm text-ink-2">
          {requestState(r)} · {ago(r.made_at)}
        </span>
      </>
    ),
  },
];

/** Requests is what was asked for because nobody carries it, and what suppliers quote. */
export default function Requests() {
  const { id } = useParams();
  const { may } = useSession();
  const go = useNavigate();
  const requests = useQuery(requestsQuery);
  const list = requests.data ?? [];
  const cursor = Math.max(
    0,
    list.findIndex((r) => String(r.id) === id),
  );
  const here = list[cursor];
  const to = (at: number) => {
    if (list[at]) void go(`/sources/requests/${list[at].id}`, { replace: true });
  };
  const move = (by: number) => {
    movedByKey();
    to(cursor + by);
  };
  useKeys([
    ...(list.length > 1 && id !== "new"
      ? [
          { keys: ["j", "ArrowDown"], label: "next request", run: () => move(1) },
          { keys: ["k", "ArrowUp"], label: "request before", run: () => move(-1) },
        ]
      : []),
    ...(may("editor") && id !== "new"
      ? [{ keys: ["n"], label: "ask for a product", run: () => go("/sources/requests/new") }]
      : []),
    { keys: ["Escape"], label: "", run: () => go(id === "new" ? "/sources/requests" : "/sources") },
  ]);
  if (id === "new") return <QuoteRequestForm />;
  return (
    <main className="flex min-h-0 grow max-md:flex-col">
      <div className="flex w-[18.75rem] shrink-0 flex-col border-r border-line">
        <div className="flex items-center justify-between gap-2 px-4 py-3">
          <h1 className="text-xl">Requests</h1>
          <Button onClick={() => go("/sources")}>Sources</Button>
        </div>
        <LongTable
          rows={list}
          columns={columns}
          rowKey={(r) => r.id}
          label="Requests"
          rowHeight={58}
          cursor={{ at: cursor, set: to }}
        />
        {may("editor") && (
          <div className="border-t border-line p-3">
            <Button tone="main" onClick={() => go("/sources/requests/new")}>
              Ask for a product
            </Button>
          </div>
        )}
      </div>
      <div className="min-w-0 grow overflow-auto">
        {requests.error && (
          <Notice title="The requests cannot be shown" error>
            <p>{requests.error.message}</p>
          </Notice>
        )}
        {requests.data && list.length === 0 && (
          <Notice title="Nothing was asked for yet">
            <p>
              When no supplier offers what you want, describe it. The suppliers of your connected marketplaces quote for
              it, and you take one quote as an offer.
            </p>
          </Notice>
        )}
        {here && <InFull key={here.id} request={here} />}
      </div>
    </main>
  );
}

function InFull({ request }: { request: Request }) {
  const { may, storeId } = useSession();
  const client = useQueryClient();
  const say = useSay();
  const full = useQuery(requestQuery(request.id, storeId));
  const settled = () => {
    void refresh(client, "requests", "request");
  };
  const act = useMutation<unknown, Problem, "ask" | "withdraw">({
    mutationFn: (what) =>
      what === "ask"
        ? ask(api.POST("/api/requests/{id}/ask", { params: { path: { id: request.id } } }))
        : ask(api.POST("/api/requests/{id}/withdraw", { params: { path: { id: request.id } } })),
    onSuccess: (_, what) => say(what === "ask" ? "The sources are being asked." : "Withdrawn. The sources are told."),
    onError: (error) => say(error.message, true),
    onSettled: settled,
  });
  const open = request.state === "open";
  const [leaving, setLeaving] = useState(false);
  useKeys(
    open && may("editor")
      ? [
          { keys: ["r"], label: "ask for quotes now", run: () => act.mutate("ask") },
          { keys: ["x"], label: "withdraw", run: () => setLeaving(true) },
        ]
      : [],
  );
  return (
    <section className="p-4" aria-label={request.words}>
      <div className="flex items-start gap-4">
        {request.picture && (
          <img src={request.picture} alt="What is wanted" className="size-20 rounded bg-sunk object-cover" />
        )}
        <div className="min-w-0 grow">
          <h2 className="text-lg">{request.words}</h2>
          {request.details && <p className="max-w-prose whitespace-pre-line">{request.details}</p>}
          <p className="text-ink-2">
            Sold to {countryName(request.market)}
            {request.target && (
              <>
                , at a cost of <Money of={request.target} /> at most
              </>
            )}
            {request.units > 0 && `, about ${request.units.toLocaleString("en")} a month`}.{" "}
            {request.link && (
              <a href={request.link} target="_blank" rel="noreferrer" className="underline">
                A page that shows it
              </a>
            )}
          </p>
          <ul className="mt-1 text-sm">
            {request.asked.map((a) => (
              <li key={a.source_id} className={a.error ? "text-loss" : "text-ink-2"}>
                {askedWords(a)}
                {a.unusable.map((u) => (
                  <span key={u} className="block text-loss">
                    Cannot be read: {u}
                  </span>
                ))}
              </li>
            ))}
          </ul>
        </div>
        {open && may("editor") && (
          <div className="flex shrink-0 gap-2">
            <Button onClick={() => act.mutate("ask")} disabled={act.isPending}>
              Ask now
            </Button>
            <Button onClick={() => setLeaving(true)} disabled={act.isPending}>
              Withdraw
            </Button>
          </div>
        )}
      </div>
      {leaving && (
        <Confirm
          open
          onClose={() => setLeaving(false)}
          title="Withdraw this request?"
          act="Withdraw it"
          onDo={() => act.mutate("withdraw")}
        >
          The sources are told that nothing is wanted any more. Quotes stay here to be read, but none can be taken.
        </Confirm>
      )}
      {full.error && (
        <p className="mt-4 text-loss" role="alert">
          {full.error.message}
        </p>
      )}
      {full.data && full.data.offers.length === 0 && (
        <Notice title={open ? "No quote yet" : "There was no quote"}>
          {open && (
            <p>
              Suppliers take hours, often days. You can leave; quotes are asked for again and again, and are kept here.
            </p>
          )}
        </Notice>
      )}
      {full.data && full.data.offers.length > 0 && <Quotes request={full.data} onTaken={settled} />}
    </section>
  );
}

function askedWords(a: Request["asked"][number]): string {
  const quotes = a.quotes === 1 ? "1 quote" : `${a.quotes} quotes`;
  if (a.state === "refused") return `${a.source} does not pass it on: ${a.error}`;
  if (a.error) return `${a.source}: ${a.error} It is tried again.`;
  if (a.state === "waiting") return `${a.source} is about to be asked.`;
  if (a.state === "leaving") return `${a.source} is being told that it is over.`;
  if (a.state === "ended") return `${a.source}: ${quotes}; no more will come.`;
  return `${a.source}: ${quotes} so far, asked ${ago(a.asked_at)}.`;
}
