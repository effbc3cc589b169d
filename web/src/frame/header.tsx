import { useQuery } from "@tanstack/react-query";
import { lazy, Suspense, useEffect, useRef, useState } from "react";
import type { Schemas } from "../api/client";
import { useNarrow } from "../parts/room";
import { NavLink, useLocation } from "../parts/route";
import { headerQuery } from "./queries";
import { useSession } from "./session";

type Figures = Schemas["ApplicationHeader"];

export const stations = [
  {
    to: "/sources",
    name: "Sources",
    key: "s",
    figure: (q: Figures) =>
      q.imports > 0
        ? "importing…"
        : q.with_errors > 0
          ? `${q.sources} connected · ${q.with_errors} with errors`
          : `${q.sources} connected`,
  },
  { to: "/catalog", name: "Catalog", key: "c", figure: (q: Figures) => `${q.offers.toLocaleString("en")} offers` },
  {
    to: "/workbench",
    name: "Workbench",
    key: "w",
    figure: (q: Figures) => `${q.drafts} ${q.drafts === 1 ? "draft" : "drafts"}`,
  },
  {
    to: "/markup",
    name: "Markup",
    key: "m",
    figure: (q: Figures) => (q.rules === 0 ? "no store yet" : q.rules === 1 ? "1 rule" : `${q.rules} rules`),
  },
  { to: "/listings", name: "Listings", key: "l", figure: (q: Figures) => `${q.live} live` },
  {
    to: "/orders",
    name: "Orders",
    key: "o",
    figure: (q: Figures) => (q.orders === 0 ? "none to do" : `${q.orders.toLocaleString("en")} to do`),
  },
  { to: "/ledger", name: "Ledger", key: "e", figure: () => "not yet" },
] as const;

/** stationsOf are those that somebody sees: all, or orders alone. */
export const stationsOf = (all: boolean) => stations.filter((s) => all || s.to === "/orders");

/** Header is the line across the top: the stations in the order of the work, the store in use, the running work. */
export function Header() {
  const { storeId, may } = useSession();
  const here = useLocation().pathname;
  const header = useQuery(headerQuery(storeId));
  const narrow = useNarrow();
  return (
    <header className="flex h-[3.375rem] shrink-0 items-stretch bg-quay text-quay-ink">
      <NavLink
        to="/"
        className="flex shrink-0 items-center gap-2.5 pr-5 pl-4 font-head max-md:pr-2 text-lg font-bold whitespace-nowrap"
        aria-label="Plain Pelican"
      >
        <img src="/pelican.svg" alt="" width="26" height="26" />
        <span className="hidden xl:inline">Plain Pelican</span>
      </NavLink>
      {narrow ? (
        <Menu />
      ) : (
        <nav aria-label="Stations" className="flex min-w-0 grow overflow-x-auto">
          {stationsOf(may("fulfiller")).map((station, i, all) => (
            <NavLink
              key={station.to}
              to={station.to}
              className={({ isActive }) =>
                `group relative flex min-w-[6rem] flex-col justify-center border-b-[3px] px-2 pl-6 ${isActive ? "border-beak bg-quay-2" : "border-transparent hover:bg-quay-2"}`
              }
            >
              <span
                aria-hidden="true"
                className={`absolute top-[1.1875rem] left-2 size-2 rounded-full border ${here.startsWith(station.to) ? "border-beak bg-beak" : "border-quay-ink-2 bg-quay"}`}
              />
              <span className="flex items-center leading-tight font-semibold">
                {station.name}
                {i < all.length - 1 && <span aria-hidden="true" className="ml-2 h-px grow bg-quay-ink-2 opacity-40" />}
              </span>
              <span className="text-xs whitespace-nowrap text-quay-ink-2">
                {header.data ? station.figure(header.data) : "…"}
              </span>
            </NavLink>
          ))}
        </nav>
      )}
      <div className="flex min-w-0 items-center gap-2 px-3">
        {may("fulfiller") && header.data && header.data.runs > 0 && (
          <NavLink
            to="/listings"
            className="flex min-h-7 items-center gap-2 rounded-full bg-quay-2 px-3 text-sm whitespace-nowrap"
          >
            <span aria-hidden="true" className="size-2 animate-pulse rounded-full bg-beak" />
            {header.data.runs} {header.data.runs === 1 ? "run" : "runs"}
          </NavLink>
        )}
        {may("fulfiller") && header.data && header.data.repricing > 0 && (
          <NavLink
            to="/markup"
            className="flex min-h-7 items-center gap-2 rounded-full bg-quay-2 px-3 text-sm whitespace-nowrap"
          >
            <span aria-hidden="true" className="size-2 animate-pulse rounded-full bg-beak" />
            repricing
          </NavLink>
        )}
        <InUse />
      </div>
    </header>
  );
}

/** Menu is the stations on a narrow screen: the one that is shown, and all of them when it is pressed. */
function Menu() {
  const { storeId, may } = useSession();
  const { pathname } = useLocation();
  const header = useQuery(headerQuery(storeId));
  const [open, setOpen] = useState(false);
  const box = useRef<HTMLDivElement>(null);
  const button = useRef<HTMLButtonElement>(null);
  const all = stationsOf(may("fulfiller"));
  const here = all.find((s) => pathname.startsWith(s.to));
  useEffect(() => {
    if (!open) return;
    const onPress = (e: PointerEvent) => {
      if (!box.current?.contains(e.target as Node)) setOpen(false);
    };
    document.addEventListener("pointerdown", onPress);
    return () => document.removeEventListener("pointerdown", onPress);
  }, [open]);
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: Escape closes the menu wherever the focus is in it
    <div
      ref={box}
      className="relative flex min-w-0 grow items-center"
      onKeyDown={(e) => {
        if (e.key !== "Escape" || !open) return;
        e.stopPropagation();
        setOpen(false);
        button.current?.focus();
      }}
    >
      <button
        ref={button}
        type="button"
        className="flex min-h-11 items-center gap-2 px-2 font-semibold"
        aria-expanded={open}
        onClick={() => setOpen(!open)}
      >
        <span aria-hidden="true">☰</span> {here?.name ?? "Menu"}
        <span className="sr-only">, all stations</span>
      </button>
      {open && (
        <nav
          aria-label="Stations"
          className="absolute top-[3.0625rem] left-0 z-40 w-64 rounded-md bg-quay py-1 shadow-[0_6px_24px_rgb(0_0_0/0.3)]"
        >
          {all.map((station) => (
            <NavLink
              key={station.to}
              to={station.to}
              onClick={() => setOpen(false)}
              className={({ isActive }) =>
                `flex min-h-11 items-center justify-between gap-3 border-l-[3px] px-3 ${isActive ? "border-beak bg-quay-2" : "border-transparent"}`
              }
            >
              <span className="font-semibold">{station.name}</span>
              <span className="text-xs text-quay-ink-2">{header.data ? station.figure(header.data) : "…"}</span>
            </NavLink>
          ))}
        </nav>
      )}
    </div>
  );
}

const loadMenu = () => import("./store-menu");
const StoreMenu = lazy(loadMenu);
const pill =
  "min-h-8 max-w-full truncate rounded-full bg-quay-2 px-3 text-sm font-semibold whitespace-nowrap max-md:max-w-40";

/** InUse names the store in use; its menu is loaded when somebody comes near. */
function InUse() {
  const { store } = useSession();
  const [wanted, setWanted] = useState(false);
  const words = (
    <>
      {store ? `${store.name} · ${store.currency}` : "No store yet"} <span aria-hidden="true">▾</span>
    </>
  );
  const closed = (
    <button
      type="button"
      className={pill}
      aria-haspopup="menu"
      aria-expanded={false}
      onPointerEnter={() => void loadMenu()}
      onFocus={() => void loadMenu()}
      onClick={() => setWanted(true)}
      onKeyDown={(e) => e.key === "ArrowDown" && setWanted(true)}
    >
      {words}
    </button>
  );
  if (!wanted) return closed;
  return (
    <Suspense fallback={closed}>
      <StoreMenu className={pill}>{words}</StoreMenu>
    </Suspense>
  );
}
