import { type UseMutationResult, useMutation, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { api, ask, type Source } from "../api/client";
import { useSession } from "../frame/session";
import { Button } from "../parts/controls";
import { Sheet } from "../parts/sheet";
import { ago } from "../parts/time";
import { useSay } from "../parts/toast";
import { HabitsWords } from "./habits";
import { Held, History, IntakeLine, SendFile } from "./intakes";
import { kindWords, number, underWay } from "./words";

export type TakeIn = UseMutationResult<unknown, Error, { id: number; whole?: boolean }>;

/** SourceSheet is one source: how it is, what it brought, when it is taken in. */
export function SourceSheet({ source, takeIn, onConnect, onLeave }: { source: Source; takeIn: TakeIn; onConnect: () => void; onLeave: () => void }) {
  const { may } = useSession();
  const go = useNavigate();
  const newest = source.intakes[0];
  const busy = takeIn.isPending || underWay(newest);
  const connected = source.state === "connected";
  const columns = () => go(`/sources/${source.id}/columns`);
  return (
    <Sheet label="Source">
      <h2 className="text-xl">{source.name}</h2>
      <p className="break-all text-ink-2">{source.address || kindWords(source)}</p>
      <p className="mt-1 text-sm text-ink-2">
        {source.client_id && `Client id ${source.client_id} · `}
        {connected ? `connected ${ago(source.connected_at)}` : "disconnected"}
        {source.sent_pictures > 0 && ` · ${source.sent_pictures === 1 ? "1 picture" : `${number(source.sent_pictures)} pictures`} sent beside it`}
        {source.swept_at && ` · all compared ${ago(source.swept_at)}`}
      </p>
      <div className="mt-3 flex flex-wrap gap-2">
        {connected && may("editor") && (source.address || source.kind === "pages") && (
          <Button tone="main" onClick={() => takeIn.mutate({ id: source.id })} disabled={busy}>
            Take in now
          </Button>
        )}
        {connected && may("editor") && source.kind === "marketplace" && (
          <Button onClick={() => takeIn.mutate({ id: source.id, whole: true })} disabled={busy}>
            Compare everything
          </Button>
        )}
        {connected && may("editor") && source.layout && <SendFile source={source} tone={source.address ? "plain" : "main"} />}
        {source.layout && <Button onClick={columns}>{source.kind === "price list" ? "Its columns" : "Its terms"}</Button>}
        {source.offers > 0 && <Button onClick={() => go(`/sources/${source.id}/categories`)}>Its categories</Button>}
        {may("owner") && source.kind === "marketplace" && <Button onClick={onConnect}>{connected ? "Replace its secret" : "Connect again"}</Button>}
        {!connected && may("owner") && source.kind !== "marketplace" && <Again source={source} />}
        {connected && may("owner") && (
          <Button tone="danger" onClick={onLeave}>
            Disconnect
          </Button>
        )}
      </div>
      {newest?.state === "held" ? (
        <Held intake={newest} onColumns={columns} />
      ) : (
        source.trouble && (
          <p className="mt-3 rounded-md bg-loss-wash p-2 text-loss" role="alert">
            {source.trouble}
          </p>
        )
      )}
      {connected && (
        <>
          <h3 className="mt-5">Its habits</h3>
          <HabitsWords source={source} />
        </>
      )}
      <h3 className="mt-5 mb-1">Intakes</h3>
      <History intakes={source.intakes} />
      {source.intakes.length === 0 && <p className="text-ink-2">Nothing has been taken in yet.</p>}
      {source.intakes.slice(0, 12).map((intake) => (
        <IntakeLine key={intake.id} source={source} intake={intake} />
      ))}
    </Sheet>
  );
}

function Again({ source }: { source: Source }) {
  const client = useQueryClient();
  const say = useSay();
  const again = useMutation({
    mutationFn: () => ask(api.POST("/api/sources/{id}/connect", { params: { path: { id: source.id } } })),
    onSuccess: () => say(`${source.name} is connected again.`),
    onError: (error) => say(error.message, true),
    onSettled: () => client.invalidateQueries(),
  });
  return (
    <Button onClick={() => again.mutate()} disabled={again.isPending}>
      Connect again
    </Button>
  );
}
