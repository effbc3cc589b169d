import { useQuery, useQueryClient } from "@tanstack/react-query";
import { createContext, type ReactNode, use, useEffect, useMemo, useState } from "react";
import { api, ask, type Problem, type Schemas, type Store } from "../api/client";
import { HomeCurrency } from "../parts/money";

type Member = Schemas["MembersMember"];

type Session = {
  member: Member;
  stores: Store[];
  /** The store in use; undefined where none is connected. */
  store: Store | undefined;
  /** Its id for questions; 0 where none is connected. */
  storeId: number;
  chooseStore: (id: number) => void;
  may: (role: "editor" | "owner") => boolean;
};

const Current = createContext<Session | null>(null);

/** useSession is who is signed in and the store in use. */
export function useSession(): Session {
  const session = use(Current);
  if (!session) throw new Error("there is no session here");
  return session;
}

const rank = { fulfiller: 1, editor: 2, owner: 3 };

export function useMe() {
  return useQuery<Member, Problem>({ queryKey: ["me"], queryFn: () => ask(api.GET("/api/me")), retry: false, staleTime: Number.POSITIVE_INFINITY });
}

export function SessionProvider({ member, children, waiting }: { member: Member; children: ReactNode; waiting: ReactNode }) {
  const stores = useQuery({ queryKey: ["stores"], queryFn: () => ask(api.GET("/api/stores")) });
  const [chosen, choose] = useState(() => Number(localStorage.getItem("store") ?? 0));
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
        choose(id);
      },
      may: (role) => rank[member.role] >= rank[role],
    }),
    [member, list, store],
  );
  useProgress();
  if (!list) return waiting;
  return (
    <Current value={session}>
      <HomeCurrency value={store?.currency ?? ""}>{children}</HomeCurrency>
    </Current>
  );
}

/** useProgress follows what long work is doing, and asks again for what it touches. */
function useProgress() {
  const client = useQueryClient();
  useEffect(() => {
    const stream = new EventSource("/api/progress");
    const again = (...keys: string[]) => {
      for (const key of keys) void client.invalidateQueries({ queryKey: [key] });
    };
    stream.onmessage = (message) => {
      const event = JSON.parse(message.data) as { topic: string; data: { id?: number; state?: string; finished_at?: string | null } };
      if (event.topic === "intake") {
        again("sources", "quay");
        if (event.data.state === "finished") again("offers", "offer", "request");
      }
      if (event.topic === "run") {
        again("runs", "quay");
        void client.invalidateQueries({ queryKey: ["run", event.data.id] });
        if (event.data.finished_at) again("listings", "drafts", "draft");
      }
      if (event.topic === "reprice") {
        again("quay", "changes");
        if (event.data.state === "finished") again("drafts", "draft", "offers", "offer", "listings", "effect");
      }
      if (event.topic === "money_rules") again("money-rules", "changes", "effect", "rates", "offers", "offer");
      if (event.topic.startsWith("request:")) again("requests", "request");
      if (event.topic === "drafts") again("drafts", "quay", "offers");
    };
    return () => stream.close();
  }, [client]);
}
