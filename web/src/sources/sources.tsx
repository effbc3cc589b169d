import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Problem, type Source } from "../api/client";
import { refresh } from "../api/refresh";
import { useSession } from "../frame/session";
import { Button, Dialog, Notice } from "../parts/controls";
import { Disconnect } from "../parts/disconnect";
import { Field } from "../parts/field";
import { useKeys } from "../parts/keys";
import { useCursor } from "../parts/list";
import { useNavigate } from "../parts/route";
import { type Column, LongTable } from "../parts/table";
import { ago } from "../parts/time";
import { useSay } from "../parts/toast";
import { ImportsHeard, Progress } from "./imports";
import { Links } from "./links";
import { sourcesQuery } from "./queries";
import { SourceSheet, type StartImport } from "./sheet";
import { kindWords, number, underWay } from "./words";

/** Sources is where offers come from: each connection with its health and its runs. */
export default function Sources() {
  const { may } = useSession();
  const go = useNavigate();
  const sources = useQuery(sourcesQuery);
  const list = sources.data ?? [];
  const [cursor, setCursor] = useCursor(list.length, "source");
  const [connecting, setConnecting] = useState<Source | "new" | null>(null);
  const [pasting, setPasting] = useState(false);
  const [leaving, setLeaving] = useState<Source | null>(null);
  const here = list[cursor];
  const startImport = useStartImport();
  useKeys([
    { keys: ["r"], label: "requests", run: () => go("/sources/requests") },
    ...(may("editor") ? [{ keys: ["p"], label: "paste links", run: () => setPasting(true) }] : []),
    ...(may("editor") && (here?.address || here?.can.fetches)
      ? [
          {
            keys: ["i"],
            label: "import now",
            run: () => here.state === "connected" && startImport.mutate({ id: here.id }),
          },
        ]
      : []),
    ...(here?.layout ? [{ keys: ["c"], label: "its columns", run: () => go(`/sources/${here.id}/columns`) }] : []),
    ...(may("owner")
      ? [
          { keys: ["n"], label: "connect a marketplace", run: () => setConnecting("new") },
          { keys: ["l"], label: "connect a price list", run: () => go("/sources/list") },
        ]
      : []),
  ]);
  return (
    <main className="flex min-h-0 grow max-md:flex-col">
      <div className="flex min-w-0 grow flex-col max-md:shrink-0">
        <div className="flex flex-wrap items-center justify-between gap-2 px-4 py-3">
          <h1 className="text-xl">Sources</h1>
          <div className="flex flex-wrap gap-2">
            <Button onClick={() => go("/sources/requests")}>Requests</Button>
            {may("editor") && <Button onClick={() => setPasting(true)}>Paste links</Button>}
            {may("owner") && (
              <>
                <Button onClick={() => setConnecting("new")}>Connect a marketplace</Button>
                <Button onClick={() => go("/sources/list")}>Connect a price list</Button>
              </>
            )}
          </div>
        </div>
        <ImportsHeard sources={list} />
        {sources.error && (
          <Notice title="The sources cannot be shown" error>
            <p>{sources.error.message}</p>
          </Notice>
        )}
        {sources.data && list.length === 0 && (
          <Notice title="No source yet">
            <p>
              A source is a supplier catalog: a marketplace with many suppliers, connected with a client id and secret,
              or a wholesaler's price list.
            </p>
            {may("owner") && (
              <Button tone="main" onClick={() => setConnecting("new")}>
                Connect a marketplace
              </Button>
            )}
          </Notice>
        )}
        {list.length > 0 && (
          <LongTable
            rows={list}
            columns={columns}
            rowKey={(source) => source.id}
            label="Sources"
            rowHeight={rowHeight}
            cardHeight={96}
            cursor={{ at: cursor, set: setCursor }}
          />
        )}
      </div>
      {here && (
        <SourceSheet
          source={here}
          startImport={startImport}
          onConnect={() => setConnecting(here)}
          onLeave={() => setLeaving(here)}
        />
      )}
      {pasting && <Links onClose={() => setPasting(false)} />}
      {connecting && (
        <Connect source={connecting === "new" ? undefined : connecting} onClose={() => setConnecting(null)} />
      )}
      {leaving && (
        <Disconnect
          name={leaving.name}
          stops={[
            "importing its catalog; an import under way ends",
            `its ${number(leaving.offers)} offers being found in the Catalog`,
            ...(leaving.can.asks_offers ? ["asking it, before a draft goes out, whether the offer is still sold"] : []),
          ]}
          stays={
            leaving.can.credentials
              ? "Drafts and listings made of its offers stay. Its secret is forgotten; connect again with the same address and everything is back."
              : "Drafts and listings made of its offers stay."
          }
          end={() => ask(api.POST("/api/sources/{id}/disconnect", { params: { path: { id: leaving.id } } }))}
          onClose={() => setLeaving(null)}
        />
      )}
    </main>
  );
}

const rowHeight = 62;

const columns: Column<Source>[] = [
  {
    id: "source",
    name: "Source",
    card: "what",
    track: "minmax(10rem,1fr)",
    show: (source) => (
      <>
        <span className="block truncate font-semibold" title={source.name}>
          {source.name}
        </span>
        <span className="block truncate text-sm text-ink-2" title={kindWords(source)}>
          {kindWords(source)}
        </span>
      </>
    ),
  },
  {
    id: "offers",
    name: "Offers",
    card: "top",
    track: "6.875rem",
    align: "right",
    show: (source) => (
      <>
        <b>{number(source.offers)}</b> <span className="text-ink-2">{source.offers === 1 ? "offer" : "offers"}</span>
      </>
    ),
  },
  {
    id: "refreshed",
    name: "Refreshed",
    card: "bottom",
    track: "8.125rem",
    className: "text-ink-2",
    show: (source) => ago(source.imports.find((x) => x.state === "finished")?.finished_at),
  },
  {
    id: "health",
    name: "Health",
    card: "line",
    track: "minmax(11.25rem,1.4fr)",
    show: (source) => (
      <span className="line-clamp-2">
        <Health source={source} />
      </span>
    ),
  },
];

function Health({ source }: { source: Source }) {
  const newest = source.imports[0];
  const running = underWay(newest) ? newest : undefined;
  if (source.state === "disconnected")
    return <span className="text-ink-2">Disconnected; its offers are out of the catalog.</span>;
  if (running) return <Progress run={running} />;
  if (newest?.state === "needs_approval")
    return <span className="font-semibold text-beak-ink">Needs your approval</span>;
  if (source.error) return <span className="font-semibold text-loss">{source.error}</span>;
  if (source.paused) return <span className="text-ink-2">Paused; its offers stay.</span>;
  return <span className="text-profit-ink">OK</span>;
}

function useStartImport(): StartImport {
  const say = useSay();
  const client = useQueryClient();
  return useMutation({
    mutationFn: ({ id, full = false }: { id: number; full?: boolean }) =>
      ask(api.POST("/api/sources/{id}/imports", { params: { path: { id }, query: { full } } })),
    onSuccess: () => say("The catalog is being imported. You can leave; it goes on."),
    onError: (error) => say(error.message, true),
    onSettled: () => refresh(client, "sources"),
  });
}

function Connect({ source, onClose }: { source: Source | undefined; onClose: () => void }) {
  const client = useQueryClient();
  const say = useSay();
  const [address, setAddress] = useState(source?.address ?? "");
  const [clientId, setClientId] = useState(source?.client_id ?? "");
  const [secret, setSecret] = useState("");
  const connect = useMutation<unknown, Problem>({
    mutationFn: () => ask(api.POST("/api/sources", { body: { address, client_id: clientId, client_secret: secret } })),
    onSuccess: () => {
      say("Connected. Its catalog is being imported.");
      void refresh(client, "sources", "header", "offers");
      onClose();
    },
  });
  const error = (field: string) => (connect.error?.field === field ? connect.error.message : undefined);
  const elsewhere = connect.error && !["address", "client_id", "client_secret"].includes(connect.error.field);
  return (
    <Dialog open onClose={onClose} title={source ? `Connect ${source.name}` : "Connect a marketplace"}>
      <form
        className="space-y-3"
        onSubmit={(e) => {
          e.preventDefault();
          connect.mutate();
        }}
      >
        <Field
          label="Address"
          value={address}
          onChange={(e) => setAddress(e.target.value)}
          placeholder="bazaar.example.com"
          required
          readOnly={!!source}
          error={error("address")}
        />
        <Field
          label="Client id"
          value={clientId}
          onChange={(e) => setClientId(e.target.value)}
          required
          autoComplete="off"
          error={error("client_id")}
        />
        <Field
          label="Client secret"
          type="password"
          value={secret}
          onChange={(e) => setSecret(e.target.value)}
          required
          autoComplete="off"
          error={error("client_secret")}
          hint="Kept encrypted; it is never shown again."
        />
        {elsewhere && (
          <p className="text-loss" role="alert">
            {connect.error?.message}
          </p>
        )}
        <div className="flex justify-end gap-2 pt-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button tone="main" type="submit" disabled={connect.isPending}>
            {connect.isPending ? "Asking the source…" : "Connect"}
          </Button>
        </div>
      </form>
    </Dialog>
  );
}
