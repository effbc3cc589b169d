import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Problem, type Schemas, type Source } from "../api/client";
import { useSession } from "../frame/session";
import { Button, Dialog, Field, Notice } from "../parts/controls";
import { Disconnect } from "../parts/disconnect";
import { useKeys } from "../parts/keys";
import { useCursor } from "../parts/list";
import { Sheet } from "../parts/sheet";
import { ago } from "../parts/time";
import { useSay } from "../parts/toast";

type Intake = Schemas["SourcesIntake"];

/** Sources is where offers come from: each connection with its health and its intakes. */
export default function Sources() {
  const { may } = useSession();
  const sources = useQuery({ queryKey: ["sources"], queryFn: () => ask(api.GET("/api/sources")) });
  const list = sources.data ?? [];
  const [cursor, setCursor] = useCursor(list.length, "source");
  const [connecting, setConnecting] = useState<Source | "new" | null>(null);
  const [leaving, setLeaving] = useState<Source | null>(null);
  const here = list[cursor];
  const takeIn = useTakeIn();
  useKeys([
    ...(may("editor") ? [{ keys: ["i"], label: "take in now", run: () => here?.state === "connected" && takeIn.mutate(here.id) }] : []),
    ...(may("owner") ? [{ keys: ["n"], label: "connect a source", run: () => setConnecting("new") }] : []),
  ]);
  return (
    <main className="flex min-h-0 grow">
      <div className="flex min-w-0 grow flex-col">
        <div className="flex items-center justify-between px-4 py-3">
          <h1 className="text-xl">Sources</h1>
          {may("owner") && <Button onClick={() => setConnecting("new")}>Connect a source</Button>}
        </div>
        {sources.error && (
          <Notice title="The sources cannot be shown" trouble>
            <p>{sources.error.message}</p>
          </Notice>
        )}
        {sources.data && list.length === 0 && (
          <Notice title="No source yet">
            <p>A source is a supplier catalog: a marketplace with many suppliers, connected with a client id and secret.</p>
            {may("owner") && (
              <Button tone="main" onClick={() => setConnecting("new")}>
                Connect a source
              </Button>
            )}
          </Notice>
        )}
        <ul className="min-h-0 grow overflow-auto border-t border-line" aria-label="Sources">
          {list.map((source, i) => (
            <li key={source.id}>
              <button
                type="button"
                onClick={() => setCursor(i)}
                aria-current={i === cursor}
                className={`grid w-full grid-cols-[minmax(160px,1fr)_130px_150px_minmax(180px,1.4fr)] items-center gap-4 border-b border-line px-4 py-3 text-left ${i === cursor ? "bg-surface shadow-[inset_3px_0_0_var(--beak)]" : "hover:bg-surface"}`}
              >
                <span>
                  <span className="block font-semibold">{source.name}</span>
                  <span className="block truncate text-sm text-ink-2">{source.address}</span>
                </span>
                <span>
                  <b>{source.offers.toLocaleString("en")}</b> <span className="text-ink-2">offers</span>
                </span>
                <span className="text-ink-2">refreshed {ago(source.intakes.find((x) => x.state === "finished")?.finished_at)}</span>
                <Health source={source} />
              </button>
            </li>
          ))}
        </ul>
      </div>
      {here && (
        <Sheet label="Source">
          <h2 className="text-xl">{here.name}</h2>
          <p className="text-ink-2">{here.address}</p>
          <p className="mt-1 text-sm text-ink-2">
            Client id {here.client_id} · {here.state === "connected" ? `connected ${ago(here.connected_at)}` : "disconnected"}
          </p>
          <div className="mt-3 flex flex-wrap gap-2">
            {here.state === "connected" && may("editor") && (
              <Button tone="main" onClick={() => takeIn.mutate(here.id)} disabled={takeIn.isPending || here.intakes[0]?.finished_at === null}>
                Take in now
              </Button>
            )}
            {may("owner") && <Button onClick={() => setConnecting(here)}>{here.state === "connected" ? "Replace its secret" : "Connect again"}</Button>}
            {here.state === "connected" && may("owner") && (
              <Button tone="danger" onClick={() => setLeaving(here)}>
                Disconnect
              </Button>
            )}
          </div>
          {here.trouble && (
            <p className="mt-3 rounded-md bg-loss-wash p-2 text-loss" role="alert">
              {here.trouble}
            </p>
          )}
          <h3 className="mt-5 mb-1">Intakes</h3>
          {here.intakes.length === 0 && <p className="text-ink-2">Nothing has been taken in yet.</p>}
          {here.intakes.map((intake) => (
            <IntakeLine key={intake.id} intake={intake} />
          ))}
        </Sheet>
      )}
      {connecting && <Connect source={connecting === "new" ? undefined : connecting} onClose={() => setConnecting(null)} />}
      {leaving && (
        <Disconnect
          name={leaving.name}
          stops={[
            "its catalog being taken in; an intake under way is ended",
            `its ${leaving.offers.toLocaleString("en")} offers being found in the Catalog`,
            "asking it, before a draft goes out, whether the offer is still sold",
          ]}
          stays="Drafts and listings made of its offers stay. Its secret is forgotten; connect again with the same address and everything is back."
          end={() => ask(api.POST("/api/sources/{id}/disconnect", { params: { path: { id: leaving.id } } }))}
          onClose={() => setLeaving(null)}
        />
      )}
    </main>
  );
}

function Health({ source }: { source: Source }) {
  const running = source.intakes[0]?.finished_at === null ? source.intakes[0] : undefined;
  if (source.state === "disconnected") return <span className="text-ink-2">Disconnected; its offers are out of the catalog.</span>;
  if (running) return <Progress intake={running} />;
  if (source.trouble) return <span className="font-semibold text-loss">{source.trouble}</span>;
  return <span className="text-profit-ink">All is well</span>;
}

function Progress({ intake }: { intake: Intake }) {
  const share = intake.expected > 0 ? (intake.seen / intake.expected) * 100 : 0;
  return (
    <span className="block">
      <span className="block text-sm">
        {intake.state === "waiting" ? "Waiting to be taken in" : `Taking in: ${intake.seen.toLocaleString("en")} of ${intake.expected.toLocaleString("en")}`}
      </span>
      <progress value={share} max={100} aria-label="Intake" className="h-1.5 w-full accent-(--profit)" />
    </span>
  );
}

function IntakeLine({ intake }: { intake: Intake }) {
  return (
    <div className="border-b border-line py-2">
      <div className="flex justify-between">
        <span className={intake.state === "failed" ? "font-semibold text-loss" : "font-semibold"}>
          {intake.state === "finished" ? "Taken in" : intake.state === "failed" ? "Failed" : "Under way"}
        </span>
        <span className="text-ink-2">{ago(intake.finished_at ?? intake.started_at)}</span>
      </div>
      <p className="text-sm text-ink-2">
        {intake.seen.toLocaleString("en")} seen: {intake.added} new, {intake.changed} changed, {intake.unchanged} unchanged
        {intake.withdrawn > 0 && `, ${intake.withdrawn} withdrawn`}
      </p>
      {intake.trouble && <p className="text-sm text-loss">{intake.trouble}</p>}
      {intake.set_aside > 0 && <SetAside intake={intake} />}
    </div>
  );
}

function SetAside({ intake }: { intake: Intake }) {
  const [open, setOpen] = useState(false);
  const rows = useQuery({
    queryKey: ["set-aside", intake.id],
    queryFn: () => ask(api.GET("/api/intakes/{id}/set-aside", { params: { path: { id: intake.id } } })),
    enabled: open,
  });
  return (
    <details onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary className="min-h-6 text-sm font-semibold text-beak-ink">{intake.set_aside} set aside</summary>
      <ul className="text-sm">
        {rows.data?.map((row) => (
          <li key={row.place}>
            <b>{row.place}</b>: {row.reason}
          </li>
        ))}
      </ul>
    </details>
  );
}

function useTakeIn() {
  const say = useSay();
  const client = useQueryClient();
  return useMutation({
    mutationFn: (id: number) => ask(api.POST("/api/sources/{id}/intakes", { params: { path: { id } } })),
    onSuccess: () => say("The catalog is being taken in. You can leave; it goes on."),
    onError: (error) => say(error.message, true),
    onSettled: () => client.invalidateQueries({ queryKey: ["sources"] }),
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
      say("Connected. Its catalog is being taken in.");
      for (const key of ["sources", "quay", "offers"]) void client.invalidateQueries({ queryKey: [key] });
      onClose();
    },
  });
  const trouble = (field: string) => (connect.error?.field === field ? connect.error.message : undefined);
  const elsewhere = connect.error && !["address", "client_id", "client_secret"].includes(connect.error.field);
  return (
    <Dialog open onClose={onClose} title={source ? `Connect ${source.name}` : "Connect a source"}>
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
          trouble={trouble("address")}
        />
        <Field label="Client id" value={clientId} onChange={(e) => setClientId(e.target.value)} required autoComplete="off" trouble={trouble("client_id")} />
        <Field
          label="Client secret"
          type="password"
          value={secret}
          onChange={(e) => setSecret(e.target.value)}
          required
          autoComplete="off"
          trouble={trouble("client_secret")}
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
