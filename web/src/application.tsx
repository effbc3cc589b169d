import { useQueryClient } from "@tanstack/react-query";
import { Component, lazy, type ReactNode, Suspense, useEffect, useRef, useState } from "react";
import { Header, stationsOf } from "./frame/header";
import { KeyLine } from "./frame/keyline";
import { SessionProvider, useMe, useSession } from "./frame/session";
import { useTheme } from "./frame/theme";
import { Button, Notice } from "./parts/controls";
import { setLetterKeys, useKeys } from "./parts/keys";
import { loadAll } from "./parts/later";
import { nextPart, toWork } from "./parts/parts";
import { Redirect, Route, Switch, useLocation, useNavigate, useSearchParams } from "./parts/route";
import { SayingProvider } from "./parts/toast";

const loadCommands = () => import("./frame/commands");
const Commands = lazy(loadCommands);
const SignIn = lazy(() => import("./frame/signin"));
const Sources = lazy(() => import("./sources/sources"));
const ListPlace = lazy(() => import("./sources/list"));
const Requests = lazy(() => import("./sources/requests"));
const Categories = lazy(() => import("./sources/categories"));
const Compare = lazy(() => import("./catalog/compare"));
const loadCatalog = () => import("./catalog/catalog");
const Catalog = lazy(loadCatalog);
const Alternatives = lazy(() => import("./catalog/alternatives"));
const Combine = lazy(() => import("./workbench/combine"));
const Swap = lazy(() => import("./workbench/swap"));
const loadWorkbench = () => import("./workbench/workbench");
const Workbench = lazy(loadWorkbench);
const TableView = lazy(() => import("./workbench/table-view"));
const Listings = lazy(() => import("./listings/listings"));
const Run = lazy(() => import("./listings/run"));
const Runs = lazy(() => import("./listings/runs"));
const loadOrders = () => import("./orders/orders");
const Orders = lazy(loadOrders);
const StorePlace = lazy(() => import("./store/store"));
const Money = lazy(() => import("./store/money"));
const Members = lazy(() => import("./members/members"));

/** Frame is what every place shares: the quay, the key line, and the keys that work everywhere. */
function Frame() {
  const go = useNavigate();
  const { may, member } = useSession();
  const { pathname } = useLocation();
  const [commands, setCommands] = useState(false);
  const client = useQueryClient();
  setLetterKeys(member.letter_keys); // before what shows keys is drawn
  useTitle();
  useStoreInAddress();
  useEffect(() => void import("./parts/lost").then((lost) => lost.keepFocus()), []);
  useEffect(() => {
    // Fetched once nothing else is, so that typing after Ctrl K is not lost.
    const timer = setInterval(() => {
      if (client.isFetching() > 0 || document.readyState !== "complete") return;
      clearInterval(timer);
      loadAll();
      void loadCommands();
      // The views that most of the day is spent in.
      if (may("fulfiller")) void loadCatalog().then(loadWorkbench);
      void loadOrders();
    }, 1500);
    return () => clearInterval(timer);
  }, [may, client]);
  useKeys([
    ...stationsOf(may("fulfiller")).map((s) => ({
      keys: [`g ${s.key}`],
      label: `go to ${s.name}`,
      run: () => go(s.to),
      everywhere: true,
    })),
    { keys: ["F6"], label: "next part of the screen", run: () => nextPart(1), whileTyping: true, everywhere: true },
    { keys: ["shift+F6"], label: "", run: () => nextPart(-1), whileTyping: true },
    { keys: ["ctrl+k"], label: "find anything", run: () => setCommands(true), whileTyping: true, everywhere: true },
  ]);
  // Who works on orders alone is nowhere else.
  if (!may("fulfiller") && !/^\/(orders|members)/.test(pathname)) return <Redirect to="/orders" replace />;
  return (
    <div className="flex h-full flex-col">
      <button
        type="button"
        className="sr-only focus:not-sr-only focus:absolute focus:z-50 focus:m-2 focus:rounded-md focus:bg-surface focus:px-3 focus:py-2"
        onClick={() => toWork()}
      >
        Skip to the work
      </button>
      <Header />
      <Guard at={pathname}>
        <Suspense fallback={<main className="grow" />}>{places}</Suspense>
      </Guard>
      <KeyLine />
      {commands && (
        <Suspense>
          <Commands onClose={() => setCommands(false)} />
        </Suspense>
      )}
    </div>
  );
}

/** The views by their addresses, each with a title of its own. */
const titles: [RegExp, string][] = [
  [/^\/sources\/list/, "A price list"],
  [/^\/sources\/requests/, "Requests"],
  [/^\/sources\/\d+\/categories/, "Categories"],
  [/^\/sources\/\d+\/columns/, "Columns of a list"],
  [/^\/sources/, "Sources"],
  [/^\/catalog\/beside/, "Offers side by side"],
  [/^\/catalog\/elsewhere/, "Other suppliers"],
  [/^\/catalog/, "Catalog"],
  [/^\/workbench\/\d+\/swap/, "Swap the supplier"],
  [/^\/workbench\/\d+\/combine/, "Add a supplier"],
  [/^\/workbench/, "Workbench"],
  [/^\/markup/, "Markup"],
  [/^\/listings\/runs$/, "Publish runs"],
  [/^\/listings\/runs/, "Publish run"],
  [/^\/listings/, "Listings"],
  [/^\/orders/, "Orders"],
  [/^\/ledger/, "Ledger"],
  [/^\/store/, "Stores"],
  [/^\/members/, "Members and tokens"],
];

/** useTitle names the document after its view, and the store in use where there are several. */
function useTitle() {
  const { pathname } = useLocation();
  const { store, stores } = useSession();
  useEffect(() => {
    const view = titles.find(([address]) => address.test(pathname))?.[1];
    document.title = [view, stores.length > 1 && store?.name, "Plain Pelican"].filter(Boolean).join(" · ");
  }, [pathname, store, stores]);
}

/**
 * useStoreInAddress keeps the store in use in the address, where there are several: a bookmark, a reload and a second
 * tab keep it.
 */
function useStoreInAddress() {
  const { storeId, stores, chooseStore } = useSession();
  const [params, setParams] = useSearchParams();
  const { state } = useLocation();
  const there = Number(params.get("store")) || 0;
  const known = stores.some((s) => s.id === there);
  const chosen = useRef(storeId);
  useEffect(() => {
    if (stores.length < 2) return;
    if (known && there !== storeId && chosen.current === storeId) {
      // Another address was gone to: its store counts.
      chosen.current = there;
      chooseStore(there);
      return;
    }
    chosen.current = storeId;
    if (there === storeId) return;
    setParams(
      (now) => {
        const next = new URLSearchParams(now);
        next.set("store", String(storeId));
        return next;
      },
      { replace: true, state },
    );
  }, [there, known, storeId, stores, chooseStore, setParams, state]);
}

/** Home is the first station at which something is to be done. */
function Home() {
  const { store } = useSession();
  return <Redirect to={store ? "/catalog" : "/store"} replace />;
}

function Later({ title, words }: { title: string; words: string }) {
  return (
    <main className="grow">
      <Notice alone title={title}>
        <p>{words}</p>
      </Notice>
    </main>
  );
}

/** Guard stands where a place has failed, so that the others go on; going elsewhere is a new try. */
class Guard extends Component<{ at: string; children: ReactNode }, { error?: Error | undefined; at: string }> {
  override state: { error?: Error | undefined; at: string } = { at: this.props.at };

  static getDerivedStateFromError(error: unknown) {
    return { error: error instanceof Error ? error : new Error(String(error)) };
  }

  static getDerivedStateFromProps({ at }: { at: string }, state: { at: string }) {
    return at === state.at ? null : { at, error: undefined };
  }

  override render() {
    const { error } = this.state;
    if (!error) return this.props.children;
    return (
      <main className="grow">
        <Notice alone title="This place cannot be shown" error>
          <p>
            Something went wrong on our side. What you have done is kept; load the page again, or go to another station.
          </p>
          <p className="text-sm break-words text-ink-2">{error.message}</p>
          <Button onClick={() => window.location.reload()}>Load it again</Button>
        </Notice>
      </main>
    );
  }
}

const places = (
  <Switch>
    <Route path="/">
      <Home />
    </Route>
    <Route path="/sources">
      <Sources />
    </Route>
    <Route path="/sources/list">
      <ListPlace key="new" />
    </Route>
    <Route path="/sources/requests">
      <Requests />
    </Route>
    <Route path="/sources/requests/:id">
      <Requests />
    </Route>
    <Route path="/sources/:id/categories">
      <Categories />
    </Route>
    <Route path="/sources/:id/columns">
      <ListPlace key="columns" />
    </Route>
    <Route path="/catalog">
      <Catalog />
    </Route>
    <Route path="/catalog/compare/:ids?">
      <Compare />
    </Route>
    <Route path="/catalog/alternatives">
      <Alternatives />
    </Route>
    <Route path="/catalog/alternatives/:id">
      <Alternatives />
    </Route>
    <Route path="/workbench">
      <Workbench />
    </Route>
    <Route path="/workbench/table">
      <TableView />
    </Route>
    <Route path="/workbench/:id/swap/:offer">
      <Swap />
    </Route>
    <Route path="/workbench/:id/combine">
      <Combine />
    </Route>
    <Route path="/workbench/:id/combine/:offer">
      <Combine />
    </Route>
    <Route path="/workbench/:id">
      <Workbench />
    </Route>
    <Route path="/listings">
      <Listings />
    </Route>
    <Route path="/listings/runs">
      <Runs />
    </Route>
    <Route path="/listings/runs/:id">
      <Run />
    </Route>
    <Route path="/store">
      <StorePlace />
    </Route>
    <Route path="/markup">
      <Money />
    </Route>
    <Route path="/members">
      <Members />
    </Route>
    <Route path="/orders">
      <Orders />
    </Route>
    <Route path="/ledger">
      <Later
        title="There is no ledger yet"
        words="Sales and profit will be summed here; the profit of each order stands in Orders."
      />
    </Route>
    <Route>
      <Later title="There is nothing at this address" words="Choose a station above." />
    </Route>
  </Switch>
);

export function Application() {
  const me = useMe();
  useTheme();
  if (me.isPending) return <div className="h-full bg-quay" />;
  if (me.error && me.error.status !== 401 && !me.data)
    return (
      <main className="grow">
        <Notice alone title="Plain Pelican does not answer" error>
          <p>{me.error.message} This page goes on by itself; what you typed before is kept.</p>
          <Button onClick={() => void me.refetch()}>Try again</Button>
        </Notice>
      </main>
    );
  if (!me.data || me.error?.status === 401)
    return (
      <Suspense fallback={<div className="h-full bg-quay" />}>
        <SignIn />
      </Suspense>
    );
  return (
    <SayingProvider>
      <SessionProvider member={me.data} waiting={<div className="h-full bg-quay" />}>
        <Frame />
      </SessionProvider>
    </SayingProvider>
  );
}
