import { keepPreviousData, useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { Command } from "cmdk";
import { useState } from "react";
import { listingsQuery } from "../listings/queries";
import { ordersQuery } from "../orders/queries";
import { Dialog } from "../parts/controls";
import { useNavigate } from "../parts/route";
import { draftsQuery, linesOf } from "../workbench/queries";
import { stationsOf } from "./header";
import { commandOffersQuery } from "./queries";
import { useSession } from "./session";

const line = "flex min-h-8 cursor-pointer items-center justify-between rounded px-2 data-[selected=true]:bg-sunk";
const group =
  "[&_[cmdk-group-heading]]:px-2 [&_[cmdk-group-heading]]:pt-2 [&_[cmdk-group-heading]]:text-xs [&_[cmdk-group-heading]]:text-ink-2";

/** Commands is the list that Ctrl K opens: places, offers, drafts, listings and orders. */
export default function Commands({ onClose }: { onClose: () => void }) {
  const { storeId, may } = useSession();
  const all = may("fulfiller");
  const [text, setText] = useState("");
  const go = useNavigate();
  const offers = useQuery({
    ...commandOffersQuery(text, storeId),
    enabled: all && text.length > 1,
    placeholderData: keepPreviousData,
  });
  const drafts = useInfiniteQuery({ ...draftsQuery(storeId), enabled: all });
  const live = useInfiniteQuery({
    ...listingsQuery(storeId, { words: text.trim() }),
    enabled: all && storeId > 0 && text.trim() !== "",
    placeholderData: keepPreviousData,
  });
  const listings = text.trim() ? (live.data?.pages[0]?.listings.slice(0, 6) ?? []) : [];
  const bought = useInfiniteQuery({
    ...ordersQuery({ words: text.trim() }),
    enabled: text.trim() !== "",
    placeholderData: keepPreviousData,
  });
  const orders = text.trim() ? (bought.data?.pages[0]?.orders.slice(0, 6) ?? []) : [];
  const to = (place: string) => () => {
    onClose();
    go(place);
  };
  const matching = <T extends { title: string }>(list: T[] | undefined) =>
    text ? (list ?? []).filter((x) => x.title.toLowerCase().includes(text.toLowerCase())).slice(0, 6) : [];
  const places = [
    ...stationsOf(all).map((s) => ({ to: s.to as string, name: s.name as string })),
    ...(all
      ? [
          { to: "/catalog/alternatives", name: "Find an item by link or picture" },
          { to: "/sources/requests", name: "Quote requests" },
          { to: "/listings/runs", name: "Publish runs" },
          { to: "/store", name: "Stores" },
        ]
      : []),
    { to: "/members", name: "Members and tokens" },
  ].filter((p) => p.name.toLowerCase().includes(text.toLowerCase()));
  return (
    <Dialog open onClose={onClose} title="Go to" size="wide">
      <Command shouldFilter={false} label="Go to">
        <Command.Input
          value={text}
          onValueChange={setText}
          placeholder="A station, an offer, a draft, a listing, an order"
          className="mb-2 w-full rounded-md border border-line-2 bg-surface px-3 py-2"
        />
        <Command.List className="max-h-80 overflow-auto">
          <Command.Empty className="px-2 py-3 text-ink-2">No match</Command.Empty>
          {places.length > 0 && (
            <Command.Group heading="Places" className={group}>
              {places.map((p) => (
                <Command.Item key={p.to} value={p.to} onSelect={to(p.to)} className={line}>
                  {p.name}
                </Command.Item>
              ))}
            </Command.Group>
          )}
          {matching(linesOf(drafts.data?.pages)).length > 0 && (
            <Command.Group heading="Drafts" className={group}>
              {matching(linesOf(drafts.data?.pages)).map((d) => (
                <Command.Item key={d.id} value={`draft ${d.id}`} onSelect={to(`/workbench/${d.id}`)} className={line}>
                  {d.title}
                </Command.Item>
              ))}
            </Command.Group>
          )}
          {listings.length > 0 && (
            <Command.Group heading="Listings" className={group}>
              {listings.map((l) => (
                <Command.Item
                  key={l.id}
                  value={`listing ${l.id}`}
                  onSelect={to(`/listings?${new URLSearchParams({ words: l.title, listing: String(l.id) })}`)}
                  className={line}
                >
                  {l.title}
                </Command.Item>
              ))}
            </Command.Group>
          )}
          {orders.length > 0 && (
            <Command.Group heading="Orders" className={group}>
              {orders.map((o) => (
                <Command.Item
                  key={o.id}
                  value={`order ${o.id}`}
                  onSelect={to(`/orders?words=${encodeURIComponent(o.number)}`)}
                  className={line}
                >
                  {o.number} · {o.title}
                </Command.Item>
              ))}
            </Command.Group>
          )}
          {text.length > 1 && (offers.data?.offers.length ?? 0) > 0 && (
            <Command.Group heading="Offers" className={group}>
              {offers.data?.offers.map((o) => (
                <Command.Item
                  key={o.id}
                  value={`offer ${o.id}`}
                  onSelect={to(`/catalog?words=${encodeURIComponent(text)}&offer=${o.id}`)}
                  className={line}
                >
                  {o.title}
                </Command.Item>
              ))}
            </Command.Group>
          )}
        </Command.List>
      </Command>
    </Dialog>
  );
}
