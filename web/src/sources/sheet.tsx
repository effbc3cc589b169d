import { type UseMutationResult, useMutation, useQueryClient } from "@tanstack/react-query";
import { api, ask, type Source } from "../api/client";
import { useSession } from "../frame/session";
import { Button } from "../parts/controls";
import { useNavigate } from "../parts/route";
import { Sheet } from "../parts/sheet";
import { ago } from "../parts/time";
import { useSay } from "../parts/toast";
import { Approval, History, ImportLine, SendFile } from "./imports";
import { SettingsSentence } from "./settings";
import { kindWords, number, underWay } from "./words";

export type StartImport = UseMutationResult<unknown, Error, { id: number; full?: boolean }>;

/** SourceSheet is one source: how it is, what it brought, when it is taken in. */
export function SourceSheet({
  source,
  startImport,
  onConnect,
  onLeave,
}: {
  source: Source;
  startImport: StartImport;
  onConnect: () => void;
  onLeave: () => void;
}) {
  const { may } = useSession();
  const go = useNavigate();
  const newest = source.imports[0];
  const busy = startImport.isPending || underWay(newest);
  const connected = source.state === "connected";
  const columns = () => go(`/sources/${source.id}/columns`);
  return (
    <Sheet label="Source">
      <h2 className="text-xl">{source.name}</h2>
      <p className="break-all text-ink-2">{source.address || kindWords(source)}</p>
      <p className="mt-1 text-sm text-ink-2">
        {source.client_id && `Client id ${source.client_id} · `}
        {connected ? `connected ${ago(source.connected_at)}` : "disconnected"}
        {source.uploaded_pictures > 0 &&
          ` · ${source.uploaded_pictures === 1 ? "1 picture" : `${number(source.uploaded_pictures)} pictures`} sent beside it`}
        {source.full_import_at && ` · all compared ${ago(source.full_import_at)}`}
      </p>
      <div className="mt-3 flex flex-wrap gap-2">
        {connected && may("editor") && (source.address || source.can.fetches) && (
          <Button tone="main" onClick={() => startImport.mutate({ id: source.id })} disabled={busy}>
            Import now
          </Button>
        )}
        {connected && may("editor") && source.can.changes && (
          <Button onClick={() => startImport.mutate({ id: source.id, full: true })} disabled={busy}>
            Compare everything
          </Button>
        )}
        {connected && may("editor") && source.layout && (
          <SendFile source={source} tone={source.address ? "plain" : "main"} />
        )}
        {source.layout && <Button onClick={columns}>{source.can.columns ? "Its columns" : "Supplier terms"}</Button>}
        {source.offers > 0 && <Button onClick={() => go(`/sources/${source.id}/categories`)}>Its categories</Button>}
        {may("owner") && source.can.credentials && (
          <Button onClick={onConnect}>{connected ? "Replace its secret" : "Connect again"}</Button>
        )}
        {!connected && may("owner") && !source.can.credentials && <Again source={source} />}
        {connected && may("owner") && (
          <Button tone="danger" onClick={onLeave}>
            Disconnect
          </Button>
        )}
      </div>
      {newest?.state === "needs_approval" ? (
        <Approval run={newest} onColumns={columns} />
      ) : (
        source.error && (
          <p className="mt-3 rounded-md bg-loss-wash p-2 text-loss" role="alert">
            {source.error}
          </p>
        )
      )}
      {connected && (
        <>
          <h3 className="mt-5">Schedule and limits</h3>
          <SettingsSentence source={source} />
        </>
      )}
      <h3 className="mt-5 mb-1">Imports</h3>
      <History runs={source.imports} />
      {source.imports.length === 0 && <p className="text-ink-2">Nothing has been imported yet.</p>}
      {source.imports.slice(0, 12).map((run) => (
        <ImportLine key={run.id} source={source} run={run} />
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
