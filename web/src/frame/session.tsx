import { type QueryClient, type QueryKey, useQuery, useQueryClient } from "@tanstack/react-query";
import { createContext, type ReactNode, use, useEffect, useMemo, useState } from "react";
import type { Schemas, Store } from "../api/client";
import type { Topic } from "../api/refresh";
import { runMoved, runQuery } from "../listings/queries";
import { HomeCurrency } from "../parts/money";
import { heardOf } from "../workbench/presence";
import { refreshLines } from "../workbench/queries";
import { meQuery, storesQuery } from "./queries";

type Member = Schemas["MembersMember"];

type Session = {
  member: Member;
  stores: Store[];
  /** The store in use; undefined where none is connected. */
  store: Store | undefined;
  /** Its id for questions; 0 where none is connected. */
  storeId: number;
  chooseStore: (id: number) => void;
  /** Who is a fulfiller or more sees everything; an order handler sees orders alone, without costs. */
  may: (role: "fulfiller" | "editor" | "owner") => boolean;
};

const Current = createContext<Session | null>(null);

/** useSession is who is signed in and the store in use. */
export function useSession(): Session {
  const session = use(Current);
  if (!session) throw new Error("there is no session here");
  return session;
}

const rank = { order_handler: 1, fulfiller: 2, editor: 3, owner: 4 };

export function useMe() {
  return useQuery(meQuery);
}

export function SessionProvider({
  member,
  children,
  waiting,
}: {
  member: Member;
  children: ReactNode;
  waiting: ReactNode;
}) {
  const stores = useQuery(storesQuery);
  // The address says which; else what this tab had, else what was used last.
  const [chosen, choose] = useState(
    () =>
      Number(new URLSearchParams(window.location.search).get("store")) ||
      Number(sessionStorage.getItem("store")) ||
      Number(localStorage.getItem("store") ?? 0),
  );
  const list = stores.data;
  const store = list?.find((s) => s.id === chosen) ?? list?.[0];
  const session = useMemo<Session>(
    () => ({
      member,
      stores: list ?? [],
      store,
      storeId: store?.id ?? 0,
      chooseStore: (id) => {
        localStorage.setItem("store", String(id));
        sessionStorage.setItem("store", String(id));
        choose(id);
      },
      may: (role) => rank[member.role] >= rank[role],
    }),
    [member, list, store],
  );
  const inUse = store?.id;
  useEffect(() => {
    if (inUse) sessionStorage.setItem("store", String(inUse)); // this tab's
  }, [inUse]);
  useProgress();
  if (!list) return waiting;
  return (
    <Current value={session}>
      <HomeCurrency value={store?.currency ?? ""}>{children}</HomeCurrency>
    </Current>
  );
}

type Told = { topic: string; data: { id?: number; state?: string; finished_at?: string | null; revision?: number } };

/** draftChanged asks for a draft again that somebody changed, and for its line in the lists. */
function draftChanged(client: QueryClient, id: number, revision: number) {
  const shown = (now: unknown): now is { revision: number } => typeof now === "object" && now !== null;
  const stale = ({ queryKey, state }: { queryKey: readonly unknown[]; state: { data?: unknown } }) =>
    queryKey[0] === "draft" && queryKey[1] === id && shown(state.data) && state.data.revision < revision;
  const behind = client.getQueryCache().findAll({ predicate: stale });
  const lists = client.getQueryCache().findAll({ queryKey: ["drafts"] });
  void client.invalidateQueries({ predicate: stale });
  for (const { queryKey } of lists)
    if (behind.length > 0 || !client.getQueryCache().findAll({ queryKey: ["draft", id] }).length)
      void refreshLines(client, Number(queryKey[1]), [id]).catch(() => {}); // asked again with the whole list
}

/**
 * useProgress follows what long work is doing, and asks again for what it touches. One tab of the browser reads the
 * stream and passes it on to the others, since a browser has six connections to a server; where it cannot tell its tabs
 * apart, each reads while it is in sight.
 */
function useProgress() {
  const client = useQueryClient();
  useEffect(() => {
    // Asked again at most twice a second, however much is told, and in sight only: a run of thousands tells as often.
    const stale = new Map<string, QueryKey>();
    let timer: ReturnType<typeof setTimeout> | undefined;
    let last = 0;
    const refreshStale = () => {
      timer = undefined;
      if (document.hidden) return; // once it is looked at again
      last = Date.now();
      for (const key of stale.values()) void client.invalidateQueries({ queryKey: key });
      stale.clear();
    };
    const staleNow = (key: QueryKey) => {
      stale.set(JSON.stringify(key), key);
      timer ??= setTimeout(refreshStale, Date.now() - last < 1000 ? 500 : 30);
    };
    const again = (...keys: Topic[]) => {
      for (const key of keys) staleNow([key]);
    };
    document.addEventListener("visibilitychange", refreshStale);
    const heard = (event: Told) => {
      if (event.topic === "import") {
        again("sources", "header");
        if (event.data.state === "finished") again("offers", "offer", "request");
      }
      if (event.topic === "run") {
        const run = event.data as unknown as Parameters<typeof runMoved>[1];
        const known = client.getQueryData(runQuery(run.id).queryKey);
        runMoved(client, run);
        if (known?.state !== run.state) again("runs", "header");
        if (event.data.finished_at) again("listings", "drafts", "draft");
      }
      if (event.topic === "reprice") {
        again("header", "changes");
        if (event.data.state === "finished")
          again("drafts", "draft-table", "draft", "offers", "offer", "listings", "effect");
      }
      if (event.topic === "money_rules")
        again("money-rules", "changes", "effect", "rates", "offers", "offer", "header");
      if (event.topic === "order") again("orders", "header");
      if (event.topic.startsWith("request:")) again("requests", "request");
      if (event.topic === "draft") again("draft-table");
      if (event.topic === "draft") draftChanged(client, event.data.id ?? 0, event.data.revision ?? 0);
      if (event.topic === "drafts")
        again("drafts", "draft-table", "draft-names", "header", "offers", "trays", "wording");
      if (event.topic === "trays") again("trays", "drafts");
      if (event.topic === "here") heardOf(event.data as unknown as Parameters<typeof heardOf>[0]);
      if (event.topic === "listings") again("listings");
    };
    let stream: EventSource | undefined;
    const tabs = "BroadcastChannel" in window ? new BroadcastChannel("pelican.progress") : undefined;
    if (tabs) tabs.onmessage = (message) => heard(message.data as Told);
    const open = () => {
      stream = new EventSource("/api/progress");
      stream.onmessage = (message) => {
        const event = JSON.parse(message.data) as Told;
        heard(event);
        tabs?.postMessage(event);
      };
    };
    let stop: () => void;
    if (navigator.locks && tabs) {
      const ending = new AbortController();
      let end = () => {};
      // Held for as long as this tab is open and reads for all.
      navigator.locks
        .request("pelican.progress", { signal: ending.signal }, () => {
          open();
          return new Promise<void>((done) => {
            end = done;
          });
        })
        .catch(() => {}); // given up while it waited
      stop = () => {
        ending.abort();
        end();
      };
    } else {
      const follow = () => {
        if (document.hidden) {
          stream?.close();
          stream = undefined;
        } else if (!stream) open();
      };
      follow();
      document.addEventListener("visibilitychange", follow);
      stop = () => document.removeEventListener("visibilitychange", follow);
    }
    return () => {
      clearTimeout(timer);
      document.removeEventListener("visibilitychange", refreshStale);
      stream?.close();
      tabs?.close();
      stop();
    };
  }, [client]);
}
